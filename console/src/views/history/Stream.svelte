<!-- The history by sittings. Only what is in sight is in the page; everything has its place from the layout. -->
<script lang="ts">
  import { tick, untrack } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys';
  import { headingsBetween, placeAt, rowHeight } from '../../state/layout';
  import type { Panel } from '../../state/selection.svelte';
  import { count, sittingName, span } from '../../state/words';
  import ChosenBar from './ChosenBar.svelte';
  import Empty from './Empty.svelte';
  import Preview from './Preview.svelte';
  import RowItem from './RowItem.svelte';
  import SearchBar from './SearchBar.svelte';
  import Welcome from './Welcome.svelte';

  let { console }: { console: Console } = $props();
  const { list, selection } = $derived(console);

  /** Rows beyond the edges of the view, so that scrolling finds them there. */
  const BEYOND = 600;
  /** How long the pointer rests before the whole of a clip is shown, in milliseconds. */
  const REST = 600;

  let box = $state<HTMLElement>();
  let scrollTop = $state(0);
  let viewHeight = $state(600);
  let unfoldedHeight = $state(0);
  let pointerInside = $state(false);
  let unseen = $state(0);
  let resting = $state<string | null>(null);
  let restTimer: ReturnType<typeof setTimeout> | undefined;
  let now = $state(Date.now());

  $effect(() => {
    const timer = setInterval(() => (now = Date.now()), 30_000);
    return () => clearInterval(timer);
  });

  const layout = $derived(list.layout);
  const openPlace = $derived(list.place(selection.unfolded));
  const extra = $derived(
    openPlace < 0 || unfoldedHeight === 0 ? 0 : Math.max(0, unfoldedHeight - rowHeight(list.shown.kinds[openPlace] ?? 't')),
  );
  /** Where a row lies, the unfolded one above it counted in. */
  const topOf = (place: number) => (layout.tops[place] ?? 0) + (openPlace >= 0 && place > openPlace ? extra : 0);
  const headingTop = (first: number, top: number) => top + (openPlace >= 0 && first > openPlace ? extra : 0);

  const shown = $derived.by(() => {
    const { ids, kinds } = list.shown;
    const from = scrollTop - BEYOND;
    const to = scrollTop + viewHeight + BEYOND;
    const places: number[] = [];
    if (ids.length > 0) {
      for (let place = placeAt(layout.tops, from - extra); place < ids.length && topOf(place) < to; place++) places.push(place);
    }
    // The selected row stays in the page wherever it is: it may hold the focus.
    const chosen = list.place(selection.selected);
    if (chosen >= 0 && !places.includes(chosen)) places.push(chosen);
    return places.map((place) => ({ place, id: ids[place] ?? '', kind: kinds[place] ?? 't' }));
  });
  const headings = $derived(headingsBetween(layout.headings, scrollTop - BEYOND - extra, scrollTop + viewHeight + BEYOND));

  $effect(() => {
    const ids = shown.map((one) => one.id);
    untrack(() => void list.need(ids).catch(() => {}));
  });

  // What arrives must not move what is under the pointer or selected: the view is held where it is, unless it stands
  // at the top and nobody is busy in it.
  let anchor: { id: string; offset: number } | null = null;
  let lengthBefore = 0;
  $effect(() => {
    const hooks = {
      before() {
        const busy = pointerInside || selection.selected !== null || scrollTop > 4;
        const place = placeAt(layout.tops, scrollTop);
        const id = list.shown.ids[place];
        anchor = busy && id !== undefined ? { id, offset: scrollTop - topOf(place) } : null;
        lengthBefore = list.shown.ids.length;
      },
      anew() {
        anchor = null;
        unseen = 0;
        void tick().then(() => {
          if (box) box.scrollTop = 0;
          scrollTop = 0;
        });
      },
      async after() {
        const held = anchor;
        if (held === null) return;
        await tick();
        const place = list.place(held.id);
        if (place < 0 || !box) return;
        const wanted = Math.max(0, topOf(place) + held.offset);
        if (Math.abs(wanted - box.scrollTop) >= 1) {
          const arrived = list.shown.ids.length - lengthBefore;
          box.scrollTop = wanted;
          scrollTop = box.scrollTop;
          if (arrived !== 0 || wanted > 0) unseen += Math.max(1, arrived);
        }
      },
    };
    untrack(() => (list.onChange = hooks));
    return () => (list.onChange = null);
  });

  $effect(() => {
    if (scrollTop <= 4) unseen = 0;
  });

  function bringIntoView(place: number): void {
    if (!box || place < 0) return;
    const top = topOf(place);
    const height = openPlace === place ? Math.max(unfoldedHeight, rowHeight('t')) : rowHeight(list.shown.kinds[place] ?? 't');
    const isFirst = layout.headings.some((heading) => heading.first === place);
    const upper = isFirst ? top - 46 : top;
    if (upper < box.scrollTop) box.scrollTop = upper;
    else if (top + height > box.scrollTop + viewHeight) box.scrollTop = Math.min(upper, top + height - viewHeight + 8);
  }

  async function follow(): Promise<void> {
    await tick();
    bringIntoView(list.place(selection.selected));
    await tick();
    focusSelected();
  }

  function focusSelected(): void {
    const { selected } = selection;
    const target = selected ? box?.querySelector<HTMLElement>(`[data-id="${selected}"]`) : box;
    target?.focus({ preventScroll: true });
  }

  // When the selected clip was removed, its neighbour gets the focus that was in the list.
  $effect(() => {
    const { selected } = selection;
    untrack(() => {
      const lost = document.activeElement === document.body || box?.contains(document.activeElement);
      if (lost && selected) void follow();
    });
  });

  // The search field moves the selection without giving up the focus.
  function onFollow(event: Event): void {
    const { focus } = (event as CustomEvent<{ focus: boolean }>).detail;
    if (focus) void follow();
    else void tick().then(() => bringIntoView(list.place(selection.selected)));
  }
  $effect(() => {
    document.addEventListener('yadori-follow', onFollow);
    return () => document.removeEventListener('yadori-follow', onFollow);
  });

  function step(by: number, choosing: boolean): void {
    if (choosing && selection.selected) selection.choose([selection.selected], true);
    selection.step(by);
    if (choosing && selection.selected) selection.choose([selection.selected], true);
    void follow();
  }

  function open(id: string, panel: Panel): void {
    selection.open(id, panel);
    void tick().then(() => bringIntoView(list.place(id)));
  }

  function leave(): void {
    if (selection.close()) {
      // What was open is closed.
    } else if (console.search.active) console.search.clear();
    else if (selection.selected) {
      selection.select(null);
      box?.focus();
    }
    console.messages.dismiss();
  }

  /** Moving and leaving: from anywhere in the page. */
  function moves(): Partial<Record<Command, () => void>> {
    const page = Math.max(1, Math.floor(viewHeight / rowHeight('t')) - 1);
    const all = list.shown.ids.length;
    const steps: [Command, Command, number][] = [
      ['next', 'chooseDown', 1],
      ['previous', 'chooseUp', -1],
      ['pageDown', 'choosePageDown', page],
      ['pageUp', 'choosePageUp', -page],
      ['first', 'chooseToFirst', -all],
      ['last', 'chooseToLast', all],
    ];
    return Object.fromEntries(
      steps.flatMap(([plain, choosing, by]) => [
        [plain, () => step(by, false)],
        [choosing, () => step(by, true)],
      ]),
    ) as Partial<Record<Command, () => void>>;
  }

  /** Acts on the selected clip, or on all that are chosen. */
  function actsOn(id: string): Partial<Record<Command, () => void>> {
    const subjects = selection.subjects(id);
    const { acts } = console;
    return {
      take: () => void acts.take(id, 'ready'),
      takePlain: () => void acts.take(id, 'plain'),
      remove: () => void acts.remove(subjects),
      pin: () => void acts.pin(subjects),
      bringUp: () => void acts.bringUp(subjects),
      choose: () => selection.choose([id], !selection.chosen.has(id)),
      edit: () => open(id, 'edit'),
      drawer: () => open(id, 'drawer'),
      title: () => open(id, 'title'),
      color: () => open(id, 'color'),
      unfold: () => {
        selection.toggle(id);
        void follow();
      },
    };
  }

  function onKey(event: KeyboardEvent): void {
    if (event.defaultPrevented) return;
    const command = console.keys.command(event, 'history');
    if (!command) return;
    if (command === 'leave') return leave();
    const target = event.target as HTMLElement;
    // Inside the unfolded text the arrows scroll it.
    const move = target.closest('[data-words]') ? undefined : moves()[command];
    const onControl = target.closest('button, a, input, textarea, select') !== null || target.isContentEditable;
    const act = move ?? (selection.selected && !onControl ? actsOn(selection.selected)[command] : undefined);
    if (act) {
      event.preventDefault();
      act();
    }
  }

  function onRest(id: string | null): void {
    clearTimeout(restTimer);
    resting = null;
    if (id !== null) restTimer = setTimeout(() => (resting = id), REST);
  }

  const preview = $derived.by(() => {
    const row = resting !== null && resting !== selection.unfolded ? list.row(resting) : undefined;
    if (!row) return null;
    const place = list.place(row.id);
    if (place < 0) return null;
    const worthIt = row.kind === 'image' || row.kind === 'files' || row.lines > 1 || row.chars > 90;
    const below = topOf(place) + rowHeight(list.shown.kinds[place] ?? 't') - 8;
    const space = scrollTop + viewHeight - below;
    return worthIt ? { row, top: space > 300 ? below : Math.max(scrollTop + 8, topOf(place) - 330) } : null;
  });
</script>

<svelte:window onkeydown={onKey} />

<main class="flex min-h-0 min-w-0 grow flex-col">
  <SearchBar {console} />
  <ChosenBar {console} />
  <div class="relative min-h-0 grow">
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      id="stream"
      role="region"
      aria-label={list.results ? 'What was found' : console.prefs.order === 'newest' ? 'History, newest first' : 'History, oldest first'}
      aria-busy={!list.loaded}
      data-found={console.search.shownFor}
      tabindex="0"
      class="h-full overflow-y-auto"
      style:overflow-anchor="none"
      bind:this={box}
      bind:clientHeight={viewHeight}
      onscroll={() => (scrollTop = box?.scrollTop ?? 0)}
      onpointerenter={() => (pointerInside = true)}
      onpointerleave={() => (pointerInside = false)}
    >
      {#if !console.prefs.welcomed && list.loaded && !console.search.active}
        <Welcome {console} />
      {/if}
      {#if list.loaded && list.length === 0}
        <Empty {console} />
      {:else if list.results && list.results.ids.length === 0 && !console.search.error}
        <div class="mx-auto max-w-md px-6 pt-20 text-center" data-nothing>
          <h2 class="text-lg font-semibold">Nothing matches</h2>
          <p class="mt-1.5">No clip holds all of “{console.search.shownFor}”. Fewer words find more; case and accents do not matter.</p>
          <button type="button" class="btn btn-sm btn-soft mt-4" onclick={() => console.search.clear()}>Show everything</button>
        </div>
      {:else}
        <div class="relative mx-auto max-w-4xl" style:height="{layout.height + extra + 24}px">
          {#each headings as heading (heading.first)}
            <h2
              class="absolute inset-x-4 flex items-baseline gap-2.5 pt-5 sm:inset-x-6.5"
              style:top="{headingTop(heading.first, heading.top)}px"
            >
              <span class="font-semibold">{sittingName(heading.start * 1000, heading.end * 1000, now)}</span>
              <span class="facts figures">{span(heading.start * 1000, heading.end * 1000)} · {count(heading.count, 'copy', 'copies')}</span>
            </h2>
          {/each}
          {#each shown as one (one.id)}
            <RowItem
              {console}
              id={one.id}
              place={one.place}
              total={list.shown.ids.length}
              excerpts={list.results ? console.search.excerpts.get(one.id) : undefined}
              listed={list.results ? 'found' : 'history'}
              chosen={selection.chosen.has(one.id)}
              {now}
              kind={one.kind}
              row={list.row(one.id)}
              top={topOf(one.place)}
              selected={selection.selected === one.id}
              unfolded={selection.unfolded === one.id}
              onheight={(height) => (unfoldedHeight = height)}
              onrest={onRest}
            />
          {/each}
          {#if preview}<Preview {console} row={preview.row} top={preview.top} />{/if}
        </div>
      {/if}
    </div>
    {#if unseen > 0 && scrollTop > 4}
      <button
        class="btn btn-sm btn-soft absolute top-2 left-1/2 -translate-x-1/2 shadow"
        onclick={() => box?.scrollTo({ top: 0 })}
        data-unseen>{count(unseen, 'new copy', 'new copies')} above</button
      >
    {/if}
  </div>
</main>
