<!-- A list of clips: the history, what is kept, or what a search found; headings and dividers among them. Only what is
     near the view is in the page. -->
<script lang="ts">
  import { flushSync, onMount, tick, untrack } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import { Commands } from '../../state/commands';
  import type { Command } from '../../state/keys.svelte';
  import { HEADING, rowHeight, UPPER } from '../../state/layout';
  import { sizes } from '../../state/look.svelte';
  import { isList } from '../../state/place.svelte';
  import { Reach } from '../../state/reach';
  import { count, sittingName, span } from '../../state/words';
  import { isField } from '../../border/focus';
  import ChosenBar from './ChosenBar.svelte';
  import DividerRow from './DividerRow.svelte';
  import EmptyPlace from './EmptyPlace.svelte';
  import Preview from './Preview.svelte';
  import RowItem from './RowItem.svelte';
  import SearchBar from './SearchBar.svelte';
  import Welcome from './Welcome.svelte';
  import KeptHeader from '../kept/KeptHeader.svelte';
  import { t } from '../../language/language.svelte';

  /** Rows beyond the view that are in the page too, in pixels: of a list that one sees newly, none until one rests. */
  const BEYOND = 300;
  /** A frame of rows so far away is given up for another one, in pixels. */
  const FAR = 4_000_000;
  /** Room below the list. */
  const BELOW = 24;
  const SETTLED = 200;
  /** Rows beyond the view that are known at least; twice as many are asked for at once. */
  const AHEAD = 60;
  /** How long a pointer rests before the whole of a clip is shown, and may be away before that goes, in milliseconds. */
  const [REST, GRACE] = [450, 250];
  /** A finger that comes down so soon after the list has moved was meant for what stood there before. */
  const REACTION = 300;
  /** The list stays as it is for so long after a touch. */
  const TOUCHED = 5_000;

  let { console }: { console: Console } = $props();
  const { sight, selection, rows, search } = $derived(console);
  const place = $derived(console.place);
  const commands = $derived(new Commands(console));
  let box = $state<HTMLElement>();
  /** Where in the list the view begins, and how far that is from where the bar stands: a long list is taller than its bar. */
  let scrollTop = $state(0);
  let shift = $state(0);
  const reach = new Reach();
  let viewHeight = $state(600);
  /** What stands above the list is scrolled with it. */
  let lead = $state(0);
  let unfoldedHeight = $state(0);
  let beyond = $state(0);
  let moved = -Infinity;
  let tooLate = false;
  let touchEnds: ReturnType<typeof setTimeout> | undefined;
  let settling: ReturnType<typeof setTimeout> | undefined;
  let resting = $state<string | null>(null);
  let restTimer: ReturnType<typeof setTimeout> | undefined;
  let now = $state(Date.now());
  let over = $state<string | null>(null);

  const unit = $derived(sight.unit);
  const layout = $derived(sight.layout);
  const listed = $derived.by(() => {
    void sight.version;
    return { ids: sight.now.ids, kinds: sight.now.kinds };
  });
  const heightOf = (at: number) => Math.round(rowHeight(listed.kinds[at] ?? 't', sizes()) * unit);
  const openPlace = $derived(sight.place(selection.unfolded));
  const extra = $derived(openPlace < 0 || unfoldedHeight === 0 ? 0 : Math.max(0, unfoldedHeight - heightOf(openPlace)));
  /** Where a row lies, the unfolded one above it counted in. */
  const topOf = (at: number) => lead + layout.top(at) + (openPlace >= 0 && at > openPlace ? extra : 0);

  /** How tall the list is, with room below it, and how tall it is laid out. */
  const full = $derived(lead + layout.height + extra + BELOW);
  const tall = $derived(Reach.tall(full));

  /** Rows lie in a frame of their own. It moves with the first of them that was there: what comes above moves the frame,
   *  and no row. */
  let first: { id: string; at: number; top: number } | null = null;
  const origin = $derived.by(() => {
    const at = first ? sight.place(first.id, first.at) : -1;
    if (first && at >= 0 && Math.abs(topOf(at) - scrollTop) < FAR) return topOf(at) - first.top;
    const here = scrollTop < FAR ? 0 : layout.placeAt(scrollTop - lead);
    const id = listed.ids[here];
    first = id === undefined ? null : { id, at: here, top: here === 0 ? topOf(0) : 0 };
    return here === 0 ? 0 : topOf(here);
  });

  /** Where in its frame a row lies. One that is kept in the page far away must not make the page taller. */
  const inFrame = (at: number) => Math.min(topOf(at), tall - heightOf(at) + shift) - origin;

  /** What is in the page: headings and rows in their order. */
  const shown = $derived.by(() => {
    const from = scrollTop - beyond;
    const to = scrollTop + viewHeight + beyond;
    const places: number[] = [];
    if (listed.ids.length > 0) {
      for (let at = layout.placeAt(from - extra - lead); at < listed.ids.length && topOf(at) < to; at++) places.push(at);
    }
    // The selected row stays in the page wherever it is: it may hold the focus, or what is typed in it.
    const chosen = sight.place(selection.selected);
    if (chosen >= 0 && !places.includes(chosen)) places.push(chosen);
    const headings = layout.headingsBetween(from - extra - lead, to - lead, unit).map((heading) => ({ key: `h${heading.start}-${heading.end}`, at: heading.first - 0.5, heading, id: '', kind: 'h' }));
    const clips = places.map((at) => ({ key: listed.ids[at] ?? '', at, heading: null, id: listed.ids[at] ?? '', kind: listed.kinds[at] ?? 't' }));
    return [...headings, ...clips].sort((a, b) => a.at - b.at);
  });

  /** The number of a clip among the clips of what is kept. */
  const numbers = $derived.by(() => {
    if (place.view === 'history' || search.active) return null;
    let n = 0;
    return listed.kinds.map((kind) => (kind === 'd' ? 0 : ++n));
  });
  const number = (at: number, id: string): string => {
    if (search.active) return `${rows.get(id)?.place ?? ''}`;
    if (numbers) return `${place.view === 'favorites' ? 'f' : ''}${numbers[at]}`;
    // As it was when the list came to a rest: a number that counted on under one's eyes would be no help.
    return `${console.prefs.order === 'oldest' ? listed.ids.length - at : at + 1}`;
  };

  $effect(() => {
    void rows.version;
    const clips = shown.filter((one) => one.kind !== 'h' && one.kind !== 'd');
    const ids = clips.map((one) => one.id);
    untrack(() => {
      // Read ahead, many at a time: what one comes to step by step is there already.
      const at = layout.placeAt(scrollTop - lead);
      const near = (by: number) => listed.ids.slice(Math.max(0, at - by), at + ids.length + by).filter((_, n) => listed.kinds[Math.max(0, at - by) + n] !== 'd');
      void rows.see(ids, () => near(AHEAD), () => near(2 * AHEAD)).catch(() => {});
    });
  });

  onMount(() => {
    const clock = setInterval(() => (now = Date.now()), 30_000);
    const measure = () => (sight.unit = parseFloat(getComputedStyle(document.documentElement).fontSize) / 16);
    measure();
    window.addEventListener('resize', measure);
    // What one looks at stays where it is on the screen, as far as there is room.
    let anchor: { id: string; offset: number } | null = null;
    sight.view = {
      before() {
        if (!box) return;
        const selected = sight.place(selection.selected);
        const inView = selected >= 0 && topOf(selected) + heightOf(selected) > scrollTop && topOf(selected) < scrollTop + viewHeight;
        const at = inView ? selected : layout.placeAt(scrollTop - lead);
        const id = listed.ids[at];
        anchor = id !== undefined && (sight.held || scrollTop > 4) ? { id, offset: topOf(at) - scrollTop } : null;
      },
      after() {
        const held = anchor;
        anchor = null;
        if (!held) {
          moved = performance.now();
          return;
        }
        const at = sight.place(held.id);
        if (at >= 0) scrollTo(topOf(at) - held.offset);
      },
      anew() {
        // What was found may lie anywhere in what is shown now: it is not looked for.
        first = null;
        resting = null;
        unfoldedHeight = 0;
        beyond = 0;
        settle();
        void tick().then(arrive);
      },
    };
    settle();
    void tick().then(arrive);
    return () => {
      clearInterval(clock);
      clearTimeout(settling);
      clearTimeout(touchEnds);
      window.removeEventListener('resize', measure);
      sight.view = null;
      sight.pointer = sight.down = sight.touched = sight.dragging = sight.away = false;
    };
  });

  function settle(): void {
    clearTimeout(settling);
    settling = setTimeout(() => (beyond = BEYOND), SETTLED);
  }

  function scrollTo(top: number): void {
    if (!box) return;
    // Not read back: that would lay the page out once more.
    const to = Math.max(0, Math.min(top, full - viewHeight));
    if (to === scrollTop) return;
    reach.lay(full, viewHeight);
    reach.go(to);
    scrolled();
    // What is to be seen there is in the page first, so that it is laid out once.
    flushSync();
    box.scrollTop = reach.bar;
  }

  function scrolled(): void {
    scrollTop = reach.at;
    shift = reach.at - reach.bar;
    sight.away = scrollTop > 4;
  }

  // A list that has grown or shrunk far from the view may stand for another place of the bar.
  $effect(() => {
    const moves = reach.lay(full, viewHeight);
    untrack(() => {
      if (!moves || !box) return;
      scrolled();
      flushSync();
      box.scrollTop = reach.bar;
    });
  });

  /** One has come to a list: to where one was in it, or to its top; then what was pressed on the way is done. */
  function arrive(): void {
    if (!box || !isList(place) || !sight.loaded) return;
    const stay = search.active ? null : console.stays.of(place);
    const at = stay?.edge ? sight.place(stay.edge.id) : -1;
    scrollTo(at >= 0 && stay?.edge ? topOf(at) + stay.edge.above : 0);
    if (document.activeElement === box && selection.selected) focusSelected();
    then(commands.resume(rowsInView()));
  }

  const rowsInView = () => Math.floor(viewHeight / Math.round(rowHeight('t', sizes()) * unit));

  function onScroll(): void {
    if (!box) return;
    const before = scrollTop;
    const moves = reach.scrolled(box.scrollTop);
    scrolled();
    if (moves) {
      flushSync();
      box.scrollTop = reach.bar;
    }
    // Of what one leaps over, nothing stays in the page.
    if (Math.abs(scrollTop - before) < viewHeight) beyond = BEYOND;
    else {
      beyond = 0;
      settle();
    }
    if (!isList(place) || search.active) return;
    const at = layout.placeAt(scrollTop - lead);
    const id = listed.ids[at];
    console.stays.scrolled(place, scrollTop > 4 && id !== undefined ? { id, above: scrollTop - topOf(at) } : null);
  }

  function bringIntoView(at: number): void {
    if (!box || at < 0) return;
    const top = topOf(at);
    const height = openPlace === at ? Math.max(unfoldedHeight, heightOf(at)) : heightOf(at);
    const upper = layout.isBelowHeading(at) ? top - Math.round(HEADING * unit) : top - Math.round(UPPER * unit);
    if (upper < scrollTop) scrollTo(upper);
    else if (top + height > scrollTop + viewHeight) scrollTo(Math.min(upper, top + height - viewHeight + 8));
  }

  function focusSelected(): void {
    const { selected } = selection;
    const row = selected ? box?.querySelector<HTMLElement>(`[data-id="${selected}"]`) : null;
    (row ?? box)?.focus({ preventScroll: true });
  }

  /** The selected row comes into sight, with the focus. */
  function follow(): void {
    bringIntoView(sight.place(selection.selected));
    flushSync();
    focusSelected();
  }

  function then(what: ReturnType<Commands['run']>): void {
    if (what === 'follow') follow();
  }

  // A selection that was not moved by keys (what was removed hands it on, what was made gets it) is followed by the focus
  // that was in the list.
  $effect(() => {
    const { selected } = selection;
    untrack(() => {
      if (selected === null || !box?.contains(document.activeElement) || isField(document.activeElement)) return;
      if (document.activeElement?.closest('[data-id]')?.getAttribute('data-id') !== selected) follow();
    });
  });
  // What unfolds comes into view, also when more of it has been read.
  $effect(() => {
    void [unfoldedHeight, selection.panel];
    const { unfolded } = selection;
    untrack(() => unfolded !== null && unfolded === selection.selected && bringIntoView(openPlace));
  });

  /** Keys with the focus in the list. Letters act on a row, never out of a field; a button keeps what presses buttons. */
  function onKey(event: KeyboardEvent): void {
    if (event.defaultPrevented || isField(event.target)) return;
    const target = event.target as HTMLElement;
    const kept = place.view !== 'history' && !search.active;
    const command = console.keys.command(event, ...(kept ? (['kept', 'list'] as const) : (['list'] as const)));
    if (!command) return;
    const inText = target.closest('[data-words]') !== null;
    const presses: Command[] = ['take', 'takePlain', 'unfold'];
    if (presses.includes(command) && target.closest('button, a, summary, select')) return;
    if (inText && command !== 'leave') return;
    if (command === 'leave' && resting !== null) {
      resting = null;
      event.preventDefault();
      return;
    }
    const row = target.closest<HTMLElement>('[data-id]')?.dataset.id;
    if (row && row !== selection.selected && selection.panel === null) selection.select(row);
    const what = commands.run(command, rowsInView());
    if (what === null) return;
    event.preventDefault();
    then(what);
  }

  /** Moves that were pressed elsewhere on the page, or in the search field. */
  export function move(command: Command, focus: boolean): void {
    const what = commands.run(command, rowsInView());
    if (what !== 'follow') return;
    if (focus) follow();
    else bringIntoView(sight.place(selection.selected));
  }

  /** What waits is shown, from the top. */
  function showNew(): void {
    if (search.active) search.again();
    sight.adopt();
    scrollTo(0);
    console.focusPage();
  }

  function onRest(id: string | null): void {
    clearTimeout(restTimer);
    if (id === null) restTimer = setTimeout(() => (resting = null), GRACE);
    else if (id !== resting) restTimer = setTimeout(() => (resting = id), resting === null ? REST : GRACE);
  }
  const stayResting = () => clearTimeout(restTimer);

  const preview = $derived.by(() => {
    const row = resting !== null && resting !== selection.unfolded && !sight.down && !sight.dragging ? rows.get(resting) : undefined;
    if (!row) return null;
    const at = sight.place(row.id);
    if (at < 0) return null;
    const worthIt = row.kind === 'image' || row.kind === 'files' || row.lines > 1 || row.chars > 90;
    if (!worthIt) return null;
    const [upper, lower] = [topOf(at) + 6, topOf(at) + heightOf(at) - 6];
    const chosen = sight.place(selection.selected);
    // Beside the row, where there is more room, and never over the one that is selected.
    let [above, below] = [upper - scrollTop, scrollTop + viewHeight - lower];
    if (chosen >= 0 && chosen < at) above = Math.min(above, upper - (topOf(chosen) + (openPlace === chosen ? unfoldedHeight : heightOf(chosen))));
    if (chosen > at) below = Math.min(below, topOf(chosen) - lower);
    const isBelow = below >= Math.min(380, above) || below > above;
    return { row, top: isBelow ? lower - shift - lead : null, bottom: isBelow ? null : tall - (upper - shift), room: Math.max(60, (isBelow ? below : above) - 10) };
  });

  const name = $derived(
    search.active ? t('What was found') : place.view === 'history' ? (console.prefs.order === 'newest' ? t('History, newest first') : t('History, oldest first')) : console.pageName,
  );

  function onPointerUp(): void {
    if (!sight.down) return;
    // What was pressed is clicked before anything may move.
    setTimeout(() => {
      sight.down = false;
      sight.release();
    });
  }

  /** The row that a pointer came down on: a click that lands on another one, because the list moved in between, is none. */
  let pressedOn: string | undefined;
  const rowOf = (event: Event) => (event.target instanceof Element ? event.target.closest<HTMLElement>('[data-row]')?.dataset.id : undefined);

  function onPointerDown(event: PointerEvent): void {
    sight.down = true;
    pressedOn = rowOf(event);
    if (event.pointerType !== 'touch') return;
    tooLate = !sight.touched && performance.now() - moved < REACTION;
    sight.touched = true;
    clearTimeout(touchEnds);
    touchEnds = setTimeout(() => {
      sight.touched = false;
      sight.release();
    }, TOUCHED);
  }

  function onClickFirst(event: MouseEvent): void {
    // A click by key has no pointer.
    if (!tooLate && (event.detail === 0 || pressedOn === rowOf(event))) return;
    tooLate = false;
    event.preventDefault();
    event.stopPropagation();
    console.messages.tell(t('The list moved just as you touched it, so nothing was done. It stays now: touch again.'));
  }

  function drop(event: DragEvent): void {
    event.preventDefault();
    const [moved, before] = [selection.dragged, over];
    over = null;
    if (moved.length === 1 && before !== null && moved[0]) void commands.move(moved[0], before);
  }
  const reorders = $derived(place.view !== 'history' && !search.active && sight.dragging);
</script>

<svelte:window onpointerup={onPointerUp} onpointercancel={onPointerUp} />

<main class="page-of-list flex min-h-0 min-w-0 grow flex-col" id="page" tabindex="-1" data-kept={place.view === 'history' ? undefined : place.view === 'drawer' ? place.id : 'favorites'}>
  {#if place.view === 'history'}<h1 class="sr-only">{t('History')}</h1>{/if}
  <SearchBar {console} onmove={move} onshow={showNew} />
  {#if place.view !== 'history'}<KeptHeader {console} />{/if}
  <div class="relative min-h-0 grow" onkeydown={onKey} role="presentation">
    <div
      id="list"
      role="treegrid"
      aria-label={name}
      aria-multiselectable="true"
      aria-rowcount={listed.ids.length}
      aria-busy={!sight.loaded}
      data-found={search.shownFor}
      tabindex={selection.selected === null || sight.place(selection.selected) < 0 ? 0 : -1}
      class="h-full overflow-y-auto"
      style:overflow-anchor="none"
      bind:this={box}
      bind:clientHeight={viewHeight}
      onscroll={onScroll}
      onfocus={() => selection.selected && focusSelected()}
      onpointerenter={(event) => (sight.pointer = event.pointerType !== 'touch')}
      onpointerleave={() => {
        sight.pointer = false;
        sight.release();
      }}
      onpointerdown={onPointerDown}
      onclickcapture={onClickFirst}
    >
      <div role="presentation" bind:offsetHeight={lead}>
        {#if place.view === 'history' && !console.prefs.welcomed && sight.loaded && !search.active}
          <Welcome {console} />
        {/if}
      </div>
      {#if console.list.problem}
        <div role="row" class="mx-auto max-w-md px-6 pt-[12vh] text-center" data-unread>
          <div role="gridcell">
            <p class="text-error">{t("This can't be read now: {problem}.", { problem: console.list.problem })}</p>
            <button type="button" class="btn btn-sm btn-soft mt-3" onclick={() => console.tryAgain()}>{t('Try again')}</button>
          </div>
        </div>
      {/if}
      {#if sight.loaded && listed.ids.length === 0 && (!search.active || (search.shownFor !== '' && !search.error && !search.looking))}
        <EmptyPlace {console} />
      {/if}
      <div class="relative mx-auto max-w-4xl" role="presentation" style:height="{listed.ids.length === 0 ? 0 : tall - lead}px" ondragover={(event) => reorders && event.preventDefault()} ondrop={drop}>
        <div class="absolute inset-x-0" role="presentation" style:top="{origin - shift - lead}px">
          {#each shown as one (one.key)}
            {#if one.heading}
              {@const heading = one.heading}
              <div role="row" class="absolute inset-x-4 pt-5 sm:inset-x-6.5" style:top="{lead + heading.top + (openPlace >= 0 && heading.first > openPlace ? extra : 0) - origin}px">
                <div role="gridcell">
                  <h2 class="flex items-baseline gap-2.5">
                    <span class="truncate font-semibold">{sittingName(heading.start * 1000, heading.end * 1000, now)}</span>
                    <span class="facts figures truncate">{span(heading.start * 1000, heading.end * 1000)} · {count(heading.count, 'copy', 'copies')}</span>
                  </h2>
                </div>
              </div>
            {:else if one.kind === 'd'}
              <DividerRow {console} {commands} id={one.id} place={one.at} total={listed.ids.length} top={inFrame(one.at)} dropsHere={reorders && over === one.id} onover={() => (over = one.id)} />
            {:else}
              <RowItem
                {console}
                id={one.id}
                place={one.at}
                number={number(one.at, one.id)}
                total={listed.ids.length}
                excerpts={search.active ? search.excerpts.get(one.id) : undefined}
                listed={search.active ? 'found' : place.view === 'history' ? 'history' : 'kept'}
                {now}
                kind={one.kind}
                row={rows.get(one.id)}
                top={inFrame(one.at)}
                dropsHere={reorders && over === one.id}
                onover={() => (over = one.id)}
                onheight={(height) => (unfoldedHeight = height)}
                onrest={onRest}
              />
            {/if}
          {/each}
        </div>
        {#if reorders}
          <div role="presentation" class={['soft rounded-box absolute inset-x-4 border border-dashed px-3 py-2 text-center', over === '' ? 'border-primary' : 'border-base-300']} style:top="{full - BELOW - 4 - shift - lead}px" ondragenter={() => (over = '')} data-to-the-end>{t('To the end')}</div>
        {/if}
        {#if preview}<Preview {console} row={preview.row} top={preview.top} bottom={preview.bottom} room={preview.room} onstay={stayResting} onleave={() => onRest(null)} />{/if}
      </div>
      {#if place.view === 'history' && !search.active && sight.loaded && console.list.readingOn}
        <p class="soft mx-auto max-w-4xl px-6.5 pb-4" data-reading-on>{t('Older clips are being read …')}</p>
      {/if}
    </div>
    <ChosenBar {console} />
  </div>
</main>
