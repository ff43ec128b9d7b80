// The history as the console holds it: the order of everything, the rows in sight, what is selected and unfolded.
import type { Service } from '../api/service';
import type { ClipEvent, Detail, GoneEvent, Row } from '../api/types';
import { Chronicle, type Moved } from './chronicle';
import { layOut } from './layout';

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
  onChange: { before: () => void; after: () => void } | null = null;

  layout = $derived.by(() => {
    void this.version;
    return layOut(this.chronicle.kinds, this.chronicle.times);
  });

  #rows = new Map<string, Row>();
  #asking = new Set<string>();

  constructor(private service: Service) {}

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

  /** Changes the order; the view is told before and after. */
  change(work: () => void): void {
    this.onChange?.before();
    work();
    this.version++;
    this.onChange?.after();
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
    const moved = this.chronicle.leave(event);
    if (moved && moved !== 'gap') {
      this.#rows.delete(event.id);
      // The neighbour is at hand, so that removing can go on.
      if (this.selected === event.id) {
        const place = Math.min(moved.from ?? 0, this.chronicle.ids.length - 1);
        const wasUnfolded = this.unfolded === event.id;
        this.select(this.chronicle.ids[place] ?? null);
        this.unfolded = wasUnfolded ? this.selected : this.unfolded;
      } else if (this.unfolded === event.id) this.unfolded = null;
    }
    return moved;
  }

  row(id: string): Row | undefined {
    void this.fetched;
    return this.#rows.get(id);
  }

  place(id: string | null): number {
    void this.version;
    return id === null ? -1 : this.chronicle.ids.indexOf(id);
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
    this.selected = id;
    if (id === null) this.unfolded = null;
  }

  /** Moves the selection by some rows; from nothing, to the newest. */
  step(by: number): void {
    const { ids } = this.chronicle;
    if (ids.length === 0) return;
    const here = this.place(this.selected);
    const toTheEnd = by >= ids.length;
    const there = here < 0 && !toTheEnd ? 0 : Math.max(0, Math.min(ids.length - 1, here + by));
    this.select(ids[there] ?? null);
  }

  toggle(id: string): void {
    this.selected = id;
    this.unfolded = this.unfolded === id ? null : id;
  }
}
