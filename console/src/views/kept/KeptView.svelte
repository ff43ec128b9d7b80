<!-- The favorites, or a drawer: kept things in the person's own order, moved by pointer and by keyboard. -->
<script lang="ts">
  import Grip from '@lucide/svelte/icons/grip-vertical';
  import { tick, untrack } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import { itemId } from '../../state/kept.svelte';
  import type { Command } from '../../state/keys';
  import { summary } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import KeptClip from './KeptClip.svelte';
  import KeptDivider from './KeptDivider.svelte';
  import KeptHeader from './KeptHeader.svelte';

  let { console }: { console: Console } = $props();
  const kept = $derived(console.kept);
  const { list, selection } = $derived(console);
  const place = $derived(console.place.view === 'drawer' ? console.place.id : null);
  const drawer = $derived(place === null ? null : (kept.drawers.find((one) => one.id === place) ?? kept.drawer));
  const items = $derived(kept.items);
  let dragged = $state<string | null>(null);
  let over = $state<string | null>(null);
  let box = $state<HTMLElement>();

  // The rows come with the list: details and acts find them there.
  $effect(() => {
    const rows = items.flatMap((item) => ('clip' in item ? [item.clip] : []));
    untrack(() => list.remember(rows));
  });
  // What was selected has gone: its neighbour is at hand, so that removing can go on.
  let lastAt = 0;
  $effect(() => {
    const { selected } = selection;
    const at = items.findIndex((one) => itemId(one) === selected);
    untrack(() => {
      if (at >= 0) lastAt = at;
      else if (selected !== null && kept.loaded) {
        const next = items[Math.min(lastAt, items.length - 1)];
        const had = document.activeElement === document.body || box?.contains(document.activeElement);
        selection.select(next ? itemId(next) : null);
        if (had) void tick().then(() => focus(selection.selected));
      }
    });
  });

  /** What a new divider comes before. */
  const before = $derived(items.some((one) => itemId(one) === selection.selected) ? (selection.selected ?? undefined) : undefined);

  /** The number of a clip among the clips. */
  const numbers = $derived.by(() => {
    let n = 0;
    return new Map(items.map((item) => [itemId(item), 'clip' in item ? ++n : 0]));
  });

  async function move(id: string, before: string): Promise<void> {
    const item = items.find((one) => itemId(one) === id);
    if (!item || before === id) return;
    const { service } = console;
    // Shown at once; the service's order comes right after.
    const rest = items.filter((one) => itemId(one) !== id);
    const at = before === '' ? rest.length : rest.findIndex((one) => itemId(one) === before);
    kept.items = [...rest.slice(0, at), item, ...rest.slice(at)];
    if (place === null) kept.first = kept.items.slice(0, 9).flatMap((one) => ('clip' in one ? [one.clip] : []));
    const work =
      'divider' in item
        ? service.changeDivider(place ?? '', id, { before })
        : place === null
          ? service.pin([id], before)
          : service.put([id], place, before);
    const done = await console.acts.run(work, () => 'Moved.');
    if (!done) kept.refresh();
  }

  async function step(id: string, by: number): Promise<void> {
    const at = items.findIndex((one) => itemId(one) === id);
    const to = at + by;
    if (at < 0 || to < 0 || to >= items.length) return;
    const before = by < 0 ? items[to] : items[to + 1];
    await move(id, before ? itemId(before) : '');
    await tick();
    focus(id);
    console.messages.say(`Now ${to + 1} of ${items.length}`);
  }

  function focus(id: string | null): void {
    const node = id ? box?.querySelector<HTMLElement>(`[data-id="${id}"]`) : box;
    node?.focus({ preventScroll: true });
    node?.scrollIntoView({ block: 'nearest' });
  }

  function choose(by: number): void {
    const at = items.findIndex((one) => itemId(one) === selection.selected);
    const next = items[at < 0 ? 0 : Math.max(0, Math.min(items.length - 1, at + by))];
    if (!next) return;
    selection.select(itemId(next));
    selection.unfolded = null;
    focus(itemId(next));
  }

  /** Acts on the selected clip. */
  function actsOn(id: string): Partial<Record<Command, () => void>> {
    const { acts } = console;
    return {
      take: () => void acts.take(id, 'ready'),
      takePlain: () => void acts.take(id, 'plain'),
      remove: () => void acts.remove([id]),
      pin: () => void acts.pin([id]),
      edit: () => selection.open(id, 'edit'),
      drawer: () => selection.open(id, 'drawer'),
      title: () => selection.open(id, 'title'),
      color: () => selection.open(id, 'color'),
      unfold: () => selection.toggle(id),
    };
  }

  function onKey(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    if (event.defaultPrevented || target.closest('input, textarea, select')) return;
    const command = console.keys.command(event, 'kept');
    if (!command) return;
    const { selected } = selection;
    if (command === 'leave') {
      if (!selection.close()) selection.select(null);
      return;
    }
    const moves: Partial<Record<Command, () => void>> = {
      next: () => choose(1),
      previous: () => choose(-1),
      moveDown: () => selected && void step(selected, 1),
      moveUp: () => selected && void step(selected, -1),
    };
    const isClip = items.some((one) => 'clip' in one && one.clip.id === selected);
    const onClip = selected && isClip && !target.closest('button, a') ? actsOn(selected)[command] : undefined;
    const act = moves[command] ?? onClip;
    if (act) {
      event.preventDefault();
      act();
    }
  }

  function drop(event: DragEvent): void {
    event.preventDefault();
    if (dragged && over !== null) void move(dragged, over);
    dragged = null;
    over = null;
  }
</script>

<svelte:window onkeydown={onKey} />

<main class="flex min-h-0 min-w-0 grow flex-col" data-kept={place ?? 'favorites'}>
  <KeptHeader {console} {drawer} {before} />
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="min-h-0 grow overflow-y-auto px-2 py-3 sm:px-4" bind:this={box} tabindex="0" role="region" id="stream" aria-label={place === null ? 'Favorites' : `Drawer ${drawer?.name ?? ''}`} aria-busy={!kept.loaded}>
    {#if kept.loaded && items.length === 0}
      <div class="mx-auto max-w-md px-6 pt-20 text-center" data-empty>
        <h2 class="text-lg font-semibold">{place === null ? 'No favorites yet' : 'This drawer is empty'}</h2>
        <p class="mt-1.5">
          {#if place === null}
            Choose a clip in the history and press <KeyHint of="pin" />. Favorites stay until you unpin them, whatever else is cleared.
          {:else}
            Choose a clip in the history and press <KeyHint of="drawer" />, then type the drawer's name.
          {/if}
        </p>
        <button type="button" class="btn btn-sm btn-soft mt-4" onclick={() => console.go({ view: 'history' })}>Go to the history</button>
      </div>
    {/if}
    <ol class="mx-auto max-w-4xl" ondragover={(event) => event.preventDefault()} ondrop={drop}>
      {#each items as item (itemId(item))}
        {@const id = itemId(item)}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
        <li
          data-id={id}
          tabindex={selection.selected === id ? 0 : -1}
          class={[
            'group rounded-box relative flex gap-2.5 border px-2 sm:px-2.5',
            'divider' in item ? 'mt-3 items-center py-1.5' : 'py-2',
            selection.selected === id ? 'border-secondary/60 bg-base-200' : 'hover:bg-base-200/60 border-transparent',
            over === id && dragged && dragged !== id && 'drop-before',
          ]}
          aria-label={'clip' in item ? `${numbers.get(id)}, ${summary(item.clip).slice(0, 160)}` : `Divider ${item.divider.name}`}
          onclick={(event) => {
            if (event.target instanceof Element && !event.target.closest('button, a, iframe, input, textarea, [data-words], [data-picker]')) {
              if ('clip' in item) selection.toggle(id);
              else selection.select(id);
            }
          }}
          ondragenter={() => (over = id)}
        >
          <span
            class="soft -ml-1 cursor-grab self-start max-sm:hidden pt-1 opacity-0 group-hover:opacity-100 group-focus-within:opacity-100"
            draggable="true"
            role="img"
            aria-label="Drag to move"
            ondragstart={(event) => {
              dragged = id;
              event.dataTransfer?.setData('text/plain', '');
            }}
            ondragend={() => {
              dragged = null;
              over = null;
            }}><Grip size={13} aria-hidden="true" /></span
          >
          {#if 'divider' in item}
            <KeptDivider {console} {place} divider={item.divider} />
          {:else}
            <KeptClip {console} row={list.row(id) ?? item.clip} number="{place === null ? 'f' : ''}{numbers.get(id)}" />
          {/if}
        </li>
      {/each}
      {#if dragged}
        <li class={['soft rounded-box border border-dashed px-3 py-2 text-center text-xs', over === '' ? 'border-primary' : 'border-base-300']} ondragenter={() => (over = '')}>To the end</li>
      {/if}
    </ol>
    {#if items.length < kept.total}
      <p class="mt-3 text-center"><button type="button" class="btn btn-sm btn-soft" onclick={() => void kept.readOn()}>Show more of {kept.total.toLocaleString('en')}</button></p>
    {/if}
  </div>
</main>

<style>
  .drop-before {
    box-shadow: 0 -2px 0 var(--color-primary);
  }
</style>
