// The history as the console holds it: the order of everything, what of it is listed, the rows in sight.
import type { ClipEvent, Detail, GoneEvent, Row } from '../api/types';
import type { Service } from '../border/service';
import { Chronicle, type Moved } from './chronicle';
import { layOut, layOutFlat } from './layout';
import type { Prefs } from './prefs.svelte';

/** What is listed: ids, the kind of each, and when each was copied (seconds). */
export interface Listed {
  ids: string[];
  kinds: string[];
  times: number[];
}

/** Rows remembered at most; those in sight are fetched again. */
const ROWS = 4_000;

export class List {
  chronicle = new Chronicle();
  loaded = $state(false);
  /** Grows with every change of the order. */
  version = $state(0);
  /** Grows when rows have been fetched. */
  fetched = $state(0);
  /** Called around changes of the order, so that the view can keep what is in sight where it is. */
  onChange: { before: () => void; after: () => void; anew: () => void } | null = null;
  /** Called when a clip has left, with its neighbour in the list. */
  onLeft: (id: string, neighbour: string | null) => void = () => {};

  /** What a search found; `null` when the whole history is shown. */
  results = $state.raw<Listed | null>(null);

  /** What is listed: the history or what was found, as many and in the order the person prefers. */
  shown: Listed = $derived.by(() => {
    void this.version;
    const all: Listed = this.results ?? this.chronicle;
    const { order, most } = this.prefs;
    if (order === 'newest' && all.ids.length <= most) return { ids: all.ids, kinds: all.kinds, times: all.times };
    const part = { ids: all.ids.slice(0, most), kinds: all.kinds.slice(0, most), times: all.times.slice(0, most) };
    if (order === 'oldest') Object.values(part).forEach((list: unknown[]) => list.reverse());
    return part;
  });

  layout = $derived.by(() => {
    void this.version;
    return this.results ? layOutFlat(this.shown.kinds) : layOut(this.shown.kinds, this.shown.times);
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
  }

  /** Changes the order; the view is told before and after, so that it can stay where it is. */
  change(work: () => void): void {
    this.onChange?.before();
    work();
    this.version++;
    this.onChange?.after();
  }

  /** Shows another list: what a search found, or (`null`) the whole history again. The view begins at its top. */
  show(results: Listed | null): void {
    this.results = results;
    this.version++;
    this.onChange?.anew();
  }

  arrive(event: ClipEvent): Moved | null | 'gap' {
    const moved = this.chronicle.arrive(event);
    if (moved === 'gap') return moved;
    this.#rows.set(event.row.id, event.row);
    this.fetched++;
    return moved;
  }

  leave(event: GoneEvent): Moved | null | 'gap' {
    const at = this.place(event.id);
    const neighbour = this.shown.ids[at + 1] ?? this.shown.ids[at - 1] ?? null;
    const moved = this.chronicle.leave(event);
    if (moved && moved !== 'gap') {
      this.#rows.delete(event.id);
      this.#dropFound(event.id);
      this.onLeft(event.id, neighbour);
      this.version++;
    }
    return moved;
  }

  #dropFound(id: string): void {
    if (!this.results) return;
    const at = this.results.ids.indexOf(id);
    const without = <T>(list: T[]): T[] => list.filter((_, n) => n !== at);
    const { ids, kinds, times } = this.results;
    if (at >= 0) this.results = { ids: without(ids), kinds: without(kinds), times: without(times) };
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
    return id === null ? -1 : this.shown.ids.indexOf(id);
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
}
