<!-- Places to go, the drawers with their colors, the lamp. -->
<script lang="ts">
  import Bookmark from '@lucide/svelte/icons/bookmark';
  import Chart from '@lucide/svelte/icons/chart-no-axes-column';
  import Help from '@lucide/svelte/icons/circle-question-mark';
  import HistoryIcon from '@lucide/svelte/icons/history';
  import Plus from '@lucide/svelte/icons/plus';
  import Undo from '@lucide/svelte/icons/undo-2';

  import type { Console } from '../../state/console.svelte';
  import type { View } from '../../state/place.svelte';
  import DrawerList from './DrawerList.svelte';
  import LampCard from './LampCard.svelte';
  import Mark from '../parts/Mark.svelte';

  let { console }: { console: Console } = $props();
  const view = $derived(console.place.view);
  let making = $state(false);
  const places: [View, string, typeof HistoryIcon][] = [
    ['history', 'History', HistoryIcon],
    ['favorites', 'Favorites', Bookmark],
  ];
  const more: [View, string, typeof HistoryIcon][] = [
    ['insight', 'Insight', Chart],
    ['acts', 'Recent acts', Undo],
    ['help', 'Help', Help],
  ];
  const number = (name: string) =>
    name === 'history' ? console.list.length : name === 'favorites' ? console.kept.favoriteCount : null;

  async function make(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const name = String(new FormData(event.currentTarget as HTMLFormElement).get('name') ?? '').trim();
    if (!name) return;
    const done = await console.acts.run(console.service.newDrawer(name, null, null), () => `Made the drawer ${name}.`);
    if (done) {
      making = false;
      if (done.made) console.go({ view: 'drawer', id: done.made });
    }
  }
</script>

{#snippet link(name: View, label: string, Icon: typeof HistoryIcon)}
  <a
    href="#/{name}"
    aria-current={view === name ? 'page' : undefined}
    class={['flex items-center gap-2.5 rounded-lg px-2.5 py-1.5', view === name ? 'bg-base-100 font-medium' : 'hover:bg-base-300/50']}
  >
    <Icon size={15} aria-hidden="true" class={view === name ? 'text-primary' : 'soft'} />
    <span class="grow">{label}</span>
    {#if number(name) !== null}<span class="facts figures">{number(name)?.toLocaleString('en')}</span>{/if}
  </a>
{/snippet}

<nav aria-label="Places" class="bg-base-200 border-base-300 hidden w-52 shrink-0 flex-col border-r p-3 sm:flex">
  <div class="flex items-center gap-2.5 px-2 pt-1.5 pb-3">
    <Mark look={console.session.lamp.look} />
    <span class="text-base font-semibold tracking-tight">Yadori</span>
  </div>
  {#each places as [name, label, Icon] (name)}{@render link(name, label, Icon)}{/each}
  <div class="mt-3 flex min-h-0 shrink flex-col">
    <div class="flex items-center px-2.5 pb-0.5">
      <h2 class="facts grow font-medium">Drawers</h2>
      <button type="button" class="btn btn-xs btn-ghost btn-square" aria-label="Make a drawer" aria-expanded={making} onclick={() => (making = !making)}>
        <Plus size={13} aria-hidden="true" />
      </button>
    </div>
    {#if making}
      <form class="px-1 pb-1" onsubmit={(event) => void make(event)}>
        <input
          name="name"
          class="border-base-content/25 bg-base-100 h-8 w-full rounded-md border px-2"
          maxlength="80"
          placeholder="Name, then Enter"
          aria-label="Name of the new drawer"
          {@attach (node) => node.focus()}
          onkeydown={(event) => {
            event.stopPropagation();
            if (console.keys.command(event, 'form') === 'leave') making = false;
          }}
        />
      </form>
    {/if}
    <DrawerList {console} />
  </div>
  <div class="border-base-300 mt-3 border-t pt-3">
    {#each more as [name, label, Icon] (name)}{@render link(name, label, Icon)}{/each}
  </div>
  <div class="mt-auto pt-3"><LampCard {console} /></div>
</nav>
