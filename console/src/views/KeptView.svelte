<!-- The favorites, or a drawer: kept things in the person's own order, moved by pointer and by keyboard. -->
<script lang="ts">
  import Grip from '@lucide/svelte/icons/grip-vertical';
  import { tick, untrack } from 'svelte';

  import type { Console } from '../state/console.svelte';
  import { itemId } from '../state/kept.svelte';
  import { saveBlob } from '../state/files';
  import { count, facts, summary } from '../state/words';
  import ColorDots from './ColorDots.svelte';
  import Dot from './Dot.svelte';
  import KindSign from './KindSign.svelte';
  import Picture from './Picture.svelte';
  import Unfolded from './Unfolded.svelte';

  let { console }: { console: Console } = $props();
  const kept = $derived(console.kept);
  const history = $derived(console.history);
  const place = $derived(console.place.view === 'drawer' ? console.place.id : null);
  const drawer = $derived(place === null ? null : (kept.drawers.find((one) => one.id === place) ?? kept.drawer));
  const items = $derived(kept.items);
  let selected = $state<string | null>(null);
  let change = $state<'drawer' | 'divider' | null>(null);
  let renaming = $state<string | null>(null);
  let dragged = $state<string | null>(null);
  let over = $state<string | null>(null);
  let box = $state<HTMLElement>();

  // The rows come with the list: details and acts find them there.
  $effect(() => {
    const rows = items.flatMap((item) => ('clip' in item ? [item.clip] : []));
    untrack(() => history.remember(rows));
  });
  $effect(() => {
    void place;
    selected = null;
    change = null;
  });

  // What was selected has gone: its neighbour is at hand, so that removing can go on.
  let lastAt = 0;
  $effect(() => {
    const at = items.findIndex((one) => itemId(one) === selected);
    untrack(() => {
      if (at >= 0) lastAt = at;
      else if (selected !== null && kept.loaded) {
        const next = items[Math.min(lastAt, items.length - 1)];
        const had = document.activeElement === document.body || box?.contains(document.activeElement);
        select(next ? itemId(next) : null);
        if (had) void tick().then(() => focus(selected));
      }
    });
  });

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
    const done = await console.act(work, () => 'Moved.');
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
    console.say(`Now ${to + 1} of ${items.length}`);
  }

  function focus(id: string | null): void {
    const node = id ? box?.querySelector<HTMLElement>(`[data-id="${id}"]`) : box;
    node?.focus({ preventScroll: true });
    node?.scrollIntoView({ block: 'nearest' });
  }

  function select(id: string | null): void {
    selected = id;
    history.selected = id;
  }

  function toggle(id: string): void {
    history.panel = null;
    select(id);
    history.unfolded = history.unfolded === id ? null : id;
  }

  function onKey(event: KeyboardEvent): void {
    if (event.defaultPrevented || event.ctrlKey || event.metaKey) return;
    const target = event.target as HTMLElement;
    if (target.closest('input, textarea, select')) return;
    const at = items.findIndex((one) => itemId(one) === selected);
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      const by = event.key === 'ArrowDown' ? 1 : -1;
      event.preventDefault();
      if (event.altKey && selected) return void step(selected, by);
      const next = items[at < 0 ? 0 : Math.max(0, Math.min(items.length - 1, at + by))];
      if (next) {
        select(itemId(next));
        if (history.unfolded) history.unfolded = null;
        focus(itemId(next));
      }
      return;
    }
    if (event.key === 'Escape') {
      if (history.panel) history.panel = null;
      else if (history.unfolded) history.unfolded = null;
      else select(null);
      return;
    }
    if (event.altKey || target.closest('button, a') || !selected) return;
    const item = items[at];
    if (!item || 'divider' in item) return;
    const id = selected;
    const open = (panel: 'edit' | 'drawer' | 'title' | 'color') => () => history.open(id, panel);
    const acts: Record<string, () => void> = {
      Enter: () => void console.take(id, 'ready'),
      t: () => void console.take(id, 'plain'),
      Delete: () => void console.remove([id]),
      p: () => void console.pin([id]),
      e: open('edit'),
      d: open('drawer'),
      n: open('title'),
      c: open('color'),
      ' ': () => toggle(id),
    };
    const act = acts[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (act) {
      event.preventDefault();
      act();
    }
  }

  async function newDivider(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const form = event.currentTarget as HTMLFormElement;
    const name = String(new FormData(form).get('name') ?? '').trim();
    if (!name || place === null) return;
    const before = selected && items.some((one) => itemId(one) === selected) ? selected : undefined;
    if (await console.act(console.service.newDivider(place, name, before), () => `Made the divider ${name}.`)) change = null;
  }

  async function renameDivider(event: SubmitEvent, id: string): Promise<void> {
    event.preventDefault();
    const name = String(new FormData(event.currentTarget as HTMLFormElement).get('name') ?? '').trim();
    if (name && place !== null) await console.act(console.service.changeDivider(place, id, { name }), () => `Renamed to ${name}.`);
    renaming = null;
  }

  async function changeDrawer(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (!drawer) return;
    const data = new FormData(event.currentTarget as HTMLFormElement);
    const name = String(data.get('name') ?? '').trim();
    const group = String(data.get('group') ?? '').trim();
    const wish: { name?: string; group?: string } = {};
    if (name !== drawer.name) wish.name = name;
    if (group !== (drawer.group ?? '')) wish.group = group;
    if (Object.keys(wish).length === 0) return void (change = null);
    if (await console.act(console.service.changeDrawer(drawer.id, wish), () => 'The drawer was changed.')) change = null;
  }

  async function removeDrawer(): Promise<void> {
    if (!drawer) return;
    const { name } = drawer;
    if (await console.act(console.service.removeDrawer(drawer.id), () => `Removed the drawer ${name}; its clips are favorites now.`)) {
      console.go({ view: 'favorites' });
    }
  }

  async function save(): Promise<void> {
    if (!drawer) return;
    try {
      saveBlob(await console.service.exportedDrawer(drawer.id), `${drawer.name.replace(/[^\p{L}\p{N} _-]/gu, '-')}.json`);
    } catch (why) {
      console.fail(why);
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
  <header class="border-base-300 border-b px-4 py-3 sm:px-6.5">
    <div class="mx-auto flex max-w-4xl flex-wrap items-center gap-x-3 gap-y-1 sm:pr-2 sm:pl-4.5">
      {#if drawer}<Dot color={drawer.color} size={10} />{/if}
      <h1 class="text-base font-semibold">{place === null ? 'Favorites' : (drawer?.name ?? 'Drawer')}</h1>
      <span class="facts figures">{count(place === null ? kept.total : (drawer?.clips ?? 0), 'clip')}{drawer?.group ? ` · ${drawer.group}` : ''}</span>
      <span class="facts hidden lg:inline">
        {#if items.length > 1}<kbd class="keycap">Alt ↑ ↓</kbd> moves, or drag{/if}
      </span>
      {#if place !== null}
        <span class="ml-auto flex flex-wrap gap-1">
          <button type="button" class="btn btn-sm btn-ghost" aria-expanded={change === 'divider'} onclick={() => (change = change === 'divider' ? null : 'divider')}>Add divider</button>
          <button type="button" class="btn btn-sm btn-ghost" aria-expanded={change === 'drawer'} onclick={() => (change = change === 'drawer' ? null : 'drawer')}>Change drawer</button>
          <button type="button" class="btn btn-sm btn-ghost" onclick={() => void save()}>Export</button>
        </span>
      {/if}
    </div>
    {#if change === 'divider'}
      <form class="mx-auto mt-2 flex max-w-4xl items-center gap-1.5 sm:pl-4.5" onsubmit={(event) => void newDivider(event)}>
        <input name="name" class="border-base-content/25 rounded-field h-8 max-w-sm grow border bg-transparent px-2.5" maxlength="80" placeholder="Its words" aria-label="Words of the divider" {@attach (node) => node.focus()} />
        <button type="submit" class="btn btn-sm btn-soft">Add {selected ? 'before the selected one' : 'at the end'}</button>
      </form>
    {:else if change === 'drawer' && drawer}
      <form class="mx-auto mt-2 flex max-w-4xl flex-wrap items-center gap-1.5 sm:pl-4.5" onsubmit={(event) => void changeDrawer(event)}>
        <input name="name" class="border-base-content/25 rounded-field h-8 w-48 border bg-transparent px-2.5" maxlength="80" value={drawer.name} aria-label="Name" {@attach (node) => node.focus()} />
        <input name="group" class="border-base-content/25 rounded-field h-8 w-40 border bg-transparent px-2.5" maxlength="80" value={drawer.group ?? ''} placeholder="Group" aria-label="Group" list="groups" />
        <datalist id="groups">{#each new Set(kept.drawers.map((one) => one.group).filter(Boolean)) as group (group)}<option value={group}></option>{/each}</datalist>
        <button type="submit" class="btn btn-sm btn-soft">Save</button>
        <ColorDots value={drawer.color} onpick={(color) => void console.act(console.service.changeDrawer(drawer.id, { color: color ?? 'none' }), () => 'Colored.')} />
        <button type="button" class="btn btn-sm btn-ghost text-error ml-auto" onclick={() => void removeDrawer()}>Remove drawer</button>
      </form>
    {/if}
  </header>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="min-h-0 grow overflow-y-auto px-2 py-3 sm:px-4" bind:this={box} tabindex="0" role="region" id="stream" aria-label={place === null ? 'Favorites' : `Drawer ${drawer?.name ?? ''}`} aria-busy={!kept.loaded}>
    {#if kept.loaded && items.length === 0}
      <div class="mx-auto max-w-md px-6 pt-20 text-center" data-empty>
        <h2 class="text-lg font-semibold">{place === null ? 'No favorites yet' : 'This drawer is empty'}</h2>
        <p class="mt-1.5">
          {#if place === null}
            Choose a clip in the history and press <kbd class="keycap">P</kbd>. Favorites stay until you unpin them, whatever else is cleared.
          {:else}
            Choose a clip in the history and press <kbd class="keycap">D</kbd>, then type the drawer's name.
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
          tabindex={selected === id ? 0 : -1}
          class={[
            'group rounded-box relative flex gap-2.5 border px-2 sm:px-2.5',
            'divider' in item ? 'mt-3 items-center py-1.5' : 'py-2',
            selected === id ? 'border-secondary/60 bg-base-200' : 'hover:bg-base-200/60 border-transparent',
            over === id && dragged && dragged !== id && 'drop-before',
          ]}
          aria-label={'clip' in item ? `${numbers.get(id)}, ${summary(item.clip).slice(0, 160)}` : `Divider ${item.divider.name}`}
          onclick={(event) => {
            if (event.target instanceof Element && !event.target.closest('button, a, iframe, input, textarea, [data-words], [data-picker]')) {
              if ('clip' in item) toggle(id);
              else select(id);
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
            {#if renaming === id}
              <form class="flex grow gap-1.5" onsubmit={(event) => void renameDivider(event, id)}>
                <input name="name" class="border-base-content/25 rounded-field h-7 max-w-sm grow border bg-transparent px-2" value={item.divider.name} maxlength="80" aria-label="Words of the divider" {@attach (node) => node.focus()} />
                <button type="submit" class="btn btn-xs btn-soft">Save</button>
              </form>
            {:else}
              <h2 class="grow font-semibold">{item.divider.name}</h2>
              <span class="flex gap-1 opacity-0 group-hover:opacity-100 group-focus-within:opacity-100">
                <button type="button" class="btn btn-xs btn-ghost" onclick={() => (renaming = id)}>Rename</button>
                <button type="button" class="btn btn-xs btn-ghost text-error" onclick={() => void console.act(console.service.removeDivider(place ?? '', id), () => 'The divider was removed.')}>Remove</button>
              </span>
            {/if}
          {:else}
            {@const row = history.row(id) ?? item.clip}
            <span class="facts figures w-8 shrink-0 pt-px text-right">{place === null ? 'f' : ''}{numbers.get(id)}</span>
            <KindSign kind={row.kind} />
            <div class="min-w-0 grow">
              {#if history.unfolded === id}
                <Unfolded {console} {row} inPlace />
              {:else if row.kind === 'image'}
                <Picture {row} most={400} tall={72} />
                <p class="facts truncate">{row.title ? `${row.title} · ` : ''}{facts(row).join(' · ')}</p>
              {:else}
                <p class="truncate leading-5" data-summary>
                  {#if row.title}<span class="font-medium">{row.title}</span><span class="soft">{` · ${summary({ ...row, title: null })}`}</span>{:else}{summary(row)}{/if}
                </p>
                <p class="facts truncate leading-4.5">{#if row.color}<Dot color={row.color} />{' '}{/if}{row.fill_ins ? 'fills in · ' : ''}{facts(row).join(' · ')}</p>
              {/if}
            </div>
            {#if history.unfolded !== id}
              <button type="button" class="btn btn-xs btn-ghost opacity-0 group-hover:opacity-100 group-focus-within:opacity-100 max-sm:hidden" onclick={() => void console.take(id, 'ready')}>Take</button>
            {/if}
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
