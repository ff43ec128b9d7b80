<!-- On a narrow page the rail is a bar at the bottom. -->
<script lang="ts">
  import Bookmark from '@lucide/svelte/icons/bookmark';
  import Layers from '@lucide/svelte/icons/layers';
  import HistoryIcon from '@lucide/svelte/icons/history';
  import Menu from '@lucide/svelte/icons/menu';
  import Plus from '@lucide/svelte/icons/plus';

  import type { Console } from '../../state/console.svelte';
  import { given } from '../../state/words';
  import Lamp from './Lamp.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const view = $derived(console.place.view);
  const all = $derived([
    ['history', t('History'), HistoryIcon],
    ['favorites', t('Favorites'), Bookmark],
    ['batches', t('Batches'), Layers],
    ['drawers', t('Drawers'), Menu],
  ] as const);
  // Batches are handed out at the computer.
  const places = $derived(all.filter(([name]) => !console.phone.here || name !== 'batches'));
  const paste = $derived(console.phone.here ? t('A paste on the computer gives') : t('A paste now gives'));
</script>

<footer class="bottom bg-base-200 border-base-300 border-t sm:hidden">
  <p class="paste-now facts flex items-center gap-2 px-4 pt-1.5">
    <Lamp look={console.session.lamp.look} breaths={console.arrivals.breaths} />
    <span class="shrink-0">{console.session.status?.capture.state === 'keeping' ? paste : console.session.lamp.words}</span>
    <span class="text-base-content min-w-0 grow truncate" data-live>{given(console.session.status?.live)}</span>
  </p>
  <nav aria-label={t('Places')} class="grid grid-cols-4">
    {#each places as [name, label, Icon] (name)}
      <a
        href="#/{name}"
        aria-current={view === name ? 'page' : undefined}
        class={['flex flex-col items-center gap-0.5 py-2 text-xs touch', view === name ? 'text-primary font-medium' : 'soft']}
      >
        <Icon size={18} aria-hidden="true" />{label}
      </a>
    {/each}
    {#if console.phone.here}
      <button type="button" class="soft touch flex flex-col items-center gap-0.5 py-2 text-xs" aria-expanded={console.phone.adding} onclick={() => (console.phone.adding = true)}>
        <Plus size={18} aria-hidden="true" />{t('Add')}
      </button>
    {/if}
  </nav>
</footer>
