// What there is to be listed: the history, what is kept in the place that is open, what a search found there. The truth,
// that is: what is on the screen is `sight`'s.
import type { ClipEvent, GoneEvent, KeptOutline } from '../api/types';
import { Failure } from '../api/failure';
import type { Service } from '../border/service';
import { Chronicle } from './chronicle';
import { NOTHING, type Listed } from './listed';
import type { ListPlace } from './place.svelte';
import type { Prefs } from './prefs.svelte';
import type { Rows } from './rows.svelte';
import { Shelf } from './shelf';
import type { Came } from './sight.svelte';

export class List {
  readonly chronicle = new Chronicle();
  /** The favorites: always known, since the first of them are at hand everywhere. */
  readonly favorites = new Shelf(null);
  /** The drawer that is open. */
  drawer = $state.raw<Shelf | null>(null);
  /** The history and the favorites have been read. */
  loaded = $state(false);
  /** Grows with every change of any of them. */
  version = $state(0);
  /** What a search found in the open place; `null` when none is asked for. */
  results: Listed | null = null;
  /** Why the open place can't be shown. */
  problem = $state<string | null>(null);

  place: ListPlace | null = null;

  constructor(
    private service: Service,
    private prefs: Prefs,
    private rows: Rows,
  ) {}

  /** How many clips there are. */
  get length(): number {
    void this.version;
    return this.chronicle.ids.length;
  }

  /** What is to be seen in the open place now. */
  truth(): Listed {
    const { place } = this;
    if (!place) return NOTHING;
    if (this.results) return this.results;
    if (place.view !== 'history') {
      const shelf = place.view === 'favorites' ? this.favorites : this.drawer;
      return shelf ? { ids: shelf.ids, kinds: shelf.kinds, times: shelf.times } : NOTHING;
    }
    const { ids, kinds, times } = this.chronicle;
    const all: Listed = { ids, kinds, times };
    const { order, most } = this.prefs;
    if (order === 'newest' && all.ids.length <= most) return all;
    const part = { ids: all.ids.slice(0, most), kinds: all.kinds.slice(0, most), times: all.times.slice(0, most) };
    if (order === 'oldest') Object.values(part).forEach((list: unknown[]) => list.reverse());
    return part;
  }

  /** What is to be seen there was read. */
  get isRead(): boolean {
    return this.place?.view === 'drawer' ? this.drawer?.drawer === this.place.id : this.loaded;
  }

  async load(): Promise<void> {
    const [outline, favorites] = await Promise.all([this.service.outline(), this.service.favoritesOutline()]);
    this.chronicle.load(outline);
    this.favorites.load(favorites);
    this.rows.clear();
    this.loaded = true;
    this.version++;
  }

  /**
   * Reads the drawer that is open: what puts it in place, or `null` when another one was opened meanwhile or it can't be
   * read.
   */
  async readDrawer(): Promise<(() => Came) | null> {
    const id = this.place?.view === 'drawer' ? this.place.id : null;
    if (id === null) return null;
    let outline: KeptOutline | null = null;
    let problem: string | null = null;
    try {
      outline = await this.service.drawerOutline(id);
    } catch (why) {
      if (!(why instanceof Failure && why.status === 404)) problem = why instanceof Error ? why.message : String(why);
    }
    if (this.place?.view !== 'drawer' || this.place.id !== id) return null;
    this.problem = problem;
    if (problem !== null) return null;
    return () => {
      const before = this.drawer?.drawer === id ? this.drawer : null;
      const shelf = new Shelf(id);
      if (outline) shelf.load(outline);
      this.drawer = shelf;
      this.version++;
      const known = new Set(before?.ids ?? shelf.ids);
      return { ids: shelf.ids.filter((one) => !known.has(one)), gone: [] };
    };
  }

  /** A clip has come, was copied again, or has changed. `'gap'`: something was missed, read anew. */
  arrive(event: ClipEvent, came: Came): 'new' | 'known' | 'gap' {
    const { row } = event;
    const moved = this.chronicle.arrive(event);
    if (moved === 'gap') return moved;
    if (moved === null) return 'known';
    this.rows.put(row);
    const shelves = [this.favorites, this.drawer].filter((one) => one !== null);
    const changed = shelves.filter((shelf) => shelf.update(row));
    const inSight =
      this.place?.view === 'history'
        ? moved.from !== moved.to
        : changed.some((shelf) => shelf.drawer === (this.place?.view === 'drawer' ? this.place.id : null));
    if (inSight && !this.results) came.ids.push(row.id);
    this.version++;
    return moved.from !== moved.to ? 'new' : 'known';
  }

  leave(event: GoneEvent, came: Came): 'gap' | null {
    const moved = this.chronicle.leave(event);
    if (moved === 'gap') return moved;
    if (moved === null) return null;
    this.rows.forget(event.id);
    this.favorites.leave(event.id);
    this.drawer?.leave(event.id);
    if (this.results) this.results = without(this.results, event.id);
    came.gone.push(event.id);
    this.version++;
    return null;
  }
}

function without(list: Listed, id: string): Listed {
  const at = list.ids.indexOf(id);
  if (at < 0) return list;
  const cut = <T>(all: T[]): T[] => all.filter((_, n) => n !== at);
  return { ids: cut(list.ids), kinds: cut(list.kinds), times: cut(list.times) };
}
