<!-- Places to go, the drawers with their colors, the lamp. What is dragged onto the favorites or a drawer goes there. -->
<script lang="ts">
  import Bookmark from '@lucide/svelte/icons/bookmark';
  import Chart from '@lucide/svelte/icons/chart-no-axes-column';
  import DevicesIcon from '@lucide/svelte/icons/monitor-smartphone';
  import Layers from '@lucide/svelte/icons/layers';
  import Help from '@lucide/svelte/icons/circle-question-mark';
  import HistoryIcon from '@lucide/svelte/icons/history';
  import Plus from '@lucide/svelte/icons/plus';
  import SlidersIcon from '@lucide/svelte/icons/sliders-horizontal';
  import Undo from '@lucide/svelte/icons/undo-2';

  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys.svelte';
  import type { View } from '../../state/place.svelte';
  import Mark from '../parts/Mark.svelte';
  import KeyHint from '../parts/KeyHint.svelte';
  import DrawerList from './DrawerList.svelte';
  import LampCard from './LampCard.svelte';
  import NewDrawer from './NewDrawer.svelte';
  import { count } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const view = $derived(console.place.view);
  let making = $state(false);
  let over = $state(false);
  const places: [View, string, typeof HistoryIcon, Command][] = $derived([
    ['history', t('History'), HistoryIcon, 'goHistory'],
    ['favorites', t('Favorites'), Bookmark, 'goFavorites'],
    ['batches', t('Batches'), Layers, 'goBatches'],
  ]);
  const everything: [View, string, typeof HistoryIcon, Command][] = $derived([
    ['insight', t('Insight'), Chart, 'goInsight'],
    ['acts', t('Recent acts'), Undo, 'goActs'],
    ['devices', t('Devices'), DevicesIcon, 'goDevices'],
    ['settings', t('Settings'), SlidersIcon, 'goSettings'],
    ['help', t('Help'), Help, 'help'],
  ]);
  // What is done at the computer alone has no page on a phone.
  const more = $derived(everything.filter(([name]) => !console.phone.here || !['devices', 'settings'].includes(name)));
  const number = (name: string) =>
    name === 'history' ? console.list.length : name === 'batches' ? (console.batches.inHand?.left ?? null) : name === 'favorites' ? (void console.list.version, console.list.favorites.clips) : null;

  function drop(event: DragEvent): void {
    event.preventDefault();
    over = false;
    const ids = console.selection.dragged;
    if (ids.length > 0) void console.acts.run(ids, () => console.service.pin(ids), ({ count: n }) => t('Pinned {clips} among the favorites.', { clips: count(n, 'clip') }));
  }
  const takes = (name: View) => name === 'favorites' && console.sight.dragging;
</script>

{#snippet link(name: View, label: string, Icon: typeof HistoryIcon, key: Command)}
  <a
    href="#/{name}"
    aria-current={view === name ? 'page' : undefined}
    class={['group/link flex items-center gap-2.5 rounded-lg px-2.5 py-1.5', view === name ? 'current bg-base-100 font-medium' : 'hover:bg-base-300/50', { 'drop-here': takes(name) && over }]}
    ondragenter={() => takes(name) && (over = true)}
    ondragleave={() => (over = false)}
    ondragover={(event) => takes(name) && event.preventDefault()}
    ondrop={drop}
  >
    <Icon size={15} aria-hidden="true" class={view === name ? 'text-primary' : 'soft'} />
    <span class="grow">{label}</span>
    {#if number(name) !== null}<span class="facts figures">{number(name)?.toLocaleString('en')}</span>{/if}
    <span class="soft rail-key"><KeyHint of={key} /></span>
  </a>
{/snippet}

<nav aria-label={t('Places')} class="bg-base-200 border-base-300 hidden w-52 shrink-0 flex-col overflow-y-auto border-r p-3 sm:flex">
  <div class="flex items-center gap-2.5 px-2 pt-1.5 pb-3">
    <Mark look={console.session.lamp.look} />
    <span class="text-base font-semibold tracking-tight">Yadori</span>
  </div>
  {#each places as [name, label, Icon, key] (name)}{@render link(name, label, Icon, key)}{/each}
  <div class="mt-3 flex min-h-24 shrink flex-col">
    <div class="flex items-center px-2.5 pb-0.5">
      <h2 class="facts grow font-medium" id="drawers-of-rail">{t('Drawers')} <span class="rail-key"><KeyHint of="goDrawer" /></span></h2>
      <button type="button" class="btn btn-xs btn-ghost btn-square" aria-label={t('Make a drawer')} aria-expanded={making} onclick={() => (making = !making)}>
        <Plus size={13} aria-hidden="true" />
      </button>
    </div>
    {#if making}<div class="px-1 pb-1"><NewDrawer {console} onend={() => (making = false)} /></div>{/if}
    <DrawerList {console} labelledby="drawers-of-rail" />
  </div>
  <div class="border-base-300 mt-3 border-t pt-3">
    {#each more as [name, label, Icon, key] (name)}{@render link(name, label, Icon, key)}{/each}
  </div>
  <div class="mt-auto pt-3"><LampCard {console} /></div>
</nav>
