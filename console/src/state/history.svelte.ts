// The history as the console holds it: the order of everything, the rows in sight, what is selected and unfolded.
import type { Service } from '../api/service';
import type { ClipEvent, Detail, GoneEvent, Row } from '../api/types';
import { Chronicle, type Moved } from './chronicle';
import { layOut, layOutFlat } from './layout';
import type { Prefs } from './prefs.svelte';

/** What a list shows: ids, the kind of each, and when each was copied (seconds). */
export interface List {
  ids: string[];
  kinds: string[];
  times: number[];
}

/** What can be open in an unfolded clip. */
export type Panel = 'title' | 'drawer' | 'color' | 'edit' | 'compare';

/** Rows remembered at most; those in sight are fetched again. */
const ROWS = 4_000;

export class History {
  chronicle = new Chronicle();
  loaded = $state(false);
  /** Grows with every change of the order. */
  version = $state(0);
  /** Grows when rows have been fetched. */
  fetched = $state(0);
  selected = $state<string | null>(null);
  unfolded = $state<string | null>(null);
  /** To be selected and shown when it arrives. */
  wanted: string | null = null;
  /** Called around changes of the order, so that the view can keep what is in sight where it is. */
  onChange: { before: () => void; after: () => void; anew: () => void } | null = null;

  /** What a search found; `null` when the whole history is shown. */
  results = $state.raw<List | null>(null);
  /** Clips marked for an act on several. */
  chosen = $state.raw<ReadonlySet<string>>(new Set());
  /** What is open in the unfolded clip. */
  panel = $state<Panel | null>(null);

  /** What is listed: the history or what was found, as many and in the order the person prefers. */
  list: List = $derived.by(() => {
    void this.version;
    const all: List = this.results ?? this.chronicle;
    const { order, most } = this.prefs;
    if (order === 'newest' && all.ids.length <= most) return { ids: all.ids, kinds: all.kinds, times: all.times };
    const part = { ids: all.ids.slice(0, most), kinds: all.kinds.slice(0, most), times: all.times.slice(0, most) };
    if (order === 'oldest') Object.values(part).forEach((list: unknown[]) => list.reverse());
    return part;
  });

  layout = $derived.by(() => {
    void this.version;
    return this.results ? layOutFlat(this.list.kinds) : layOut(this.list.kinds, this.list.times);
  });

  #rows = new Map<string, Row>();
  #asking = new Set<string>();

  constructor(
    private service: Service,
    private prefs: Prefs,
  ) {}

  get length(): number {
    void this.version;
    return this.chronicle.ids.length;
  }

  async load(): Promise<void> {
    const outline = await this.service.outline();
    this.change(() => {
      this.chronicle.load(outline);
      this.#rows.clear();
    });
    this.loaded = true;
    if (this.selected && !this.chronicle.ids.includes(this.selected)) this.select(null);
  }

  /** Changes the order; the view is told before and after, so that it can stay where it is. */
  change(work: () => void): void {
    this.onChange?.before();
    work();
    this.version++;
    this.onChange?.after();
  }

  /** Shows another list: what a search found, or (`null`) the whole history again. The view begins at its top. */
  show(results: List | null): void {
    this.results = results;
    this.version++;
    this.onChange?.anew();
  }

  arrive(event: ClipEvent): Moved | null | 'gap' {
    const moved = this.chronicle.arrive(event);
    if (moved === 'gap') return moved;
    this.#rows.set(event.row.id, event.row);
    this.fetched++;
    if (this.wanted === event.row.id) {
      this.wanted = null;
      this.select(event.row.id);
    }
    return moved;
  }

  leave(event: GoneEvent): Moved | null | 'gap' {
    const at = this.place(event.id);
    const neighbour = this.list.ids[at + 1] ?? this.list.ids[at - 1] ?? null;
    const moved = this.chronicle.leave(event);
    if (moved && moved !== 'gap') {
      this.#rows.delete(event.id);
      this.#letGo(event.id, neighbour);
      this.version++;
    }
    return moved;
  }

  /** A clip has gone: the neighbour is at hand, so that removing can go on. */
  #letGo(id: string, neighbour: string | null): void {
    if (this.results) {
      const at = this.results.ids.indexOf(id);
      const without = <T>(list: T[]): T[] => list.filter((_, n) => n !== at);
      const { ids, kinds, times } = this.results;
      if (at >= 0) this.results = { ids: without(ids), kinds: without(kinds), times: without(times) };
    }
    if (this.chosen.has(id)) this.choose([id], false);
    if (this.selected === id) {
      const wasUnfolded = this.unfolded === id;
      this.select(neighbour);
      this.unfolded = wasUnfolded ? this.selected : this.unfolded;
      this.panel = null;
    } else if (this.unfolded === id) this.unfolded = null;
  }

  /** Marks clips for an act on several, or unmarks them. */
  choose(ids: string[], on: boolean): void {
    const chosen = new Set(this.chosen);
    ids.forEach((id) => (on ? chosen.add(id) : chosen.delete(id)));
    this.chosen = chosen;
  }

  /** Marks everything between the selected clip and this one. */
  chooseTo(id: string): void {
    const [here, there] = [this.place(this.selected ?? id), this.place(id)];
    if (here < 0 || there < 0) return;
    this.choose(this.list.ids.slice(Math.min(here, there), Math.max(here, there) + 1), true);
  }

  /** What an act on the selected clip is about: all that are marked, or that clip. */
  subjects(id: string): string[] {
    return this.chosen.size > 0 ? this.list.ids.filter((one) => this.chosen.has(one)) : [id];
  }

  /** Remembers rows that came with something else. */
  remember(rows: Row[]): void {
    rows.forEach((row) => this.#rows.set(row.id, row));
    this.fetched++;
  }

  row(id: string): Row | undefined {
    void this.fetched;
    return this.#rows.get(id);
  }

  place(id: string | null): number {
    void this.version;
    return id === null ? -1 : this.list.ids.indexOf(id);
  }

  /** Fetches the rows among `ids` that are not here yet. */
  async need(ids: string[]): Promise<void> {
    const missing = ids.filter((id) => !this.#rows.has(id) && !this.#asking.has(id));
    if (missing.length === 0) return;
    missing.forEach((id) => this.#asking.add(id));
    try {
      const rows = await this.service.rows(missing.slice(0, 500));
      if (this.#rows.size > ROWS) this.#rows.clear();
      rows.forEach((row) => this.#rows.set(row.id, row));
    } finally {
      missing.forEach((id) => this.#asking.delete(id));
      this.fetched++;
    }
  }

  detail = (id: string): Promise<Detail> => this.service.detail(id);

  select(id: string | null): void {
    if (this.unfolded !== null && this.unfolded === this.selected && id !== null) this.unfolded = id;
    if (id !== this.selected) this.panel = null;
    this.selected = id;
    if (id === null) this.unfolded = null;
  }

  /** Moves the selection by some rows; from nothing, to the newest. */
  step(by: number): void {
    const { ids } = this.list;
    if (ids.length === 0) return;
    const here = this.place(this.selected);
    const toTheEnd = by >= ids.length;
    const there = here < 0 && !toTheEnd ? 0 : Math.max(0, Math.min(ids.length - 1, here + by));
    this.select(ids[there] ?? null);
  }

  /** Unfolds a clip with something open in it. */
  open(id: string, panel: Panel): void {
    this.selected = id;
    this.unfolded = id;
    this.panel = this.panel === panel ? null : panel;
  }

  toggle(id: string): void {
    this.panel = null;
    this.selected = id;
    this.unfolded = this.unfolded === id ? null : id;
  }
}
