// What there is to be listed: the history, what is kept in the place that is open, what a search found there. The truth,
// that is: what is on the screen is `sight`'s.
import type { ClipEvent, GoneEvent, KeptOutline, Outline } from '../api/types';
import { Failure } from '../api/failure';
import type { Service } from '../border/service';
import { Chronicle } from './chronicle';
import { NOTHING, type Listed } from './listed';
import type { Page } from './page';
import type { ListPlace } from './place.svelte';
import type { Prefs } from './prefs.svelte';
import type { Rows } from './rows.svelte';
import { Shelf } from './shelf';
import type { Came } from './sight.svelte';
import { Turned } from './turned';

/** Clips in the first window, which is waited for, and in the others. */
const FIRST = 1_000;
const WINDOW = 10_000;
/** Parts that are read of what is kept in one place. */
const MOST_PARTS = 1_000;
/** A pause before a window is asked for once more, in milliseconds, and how often that is done. */
const AGAIN = 50;
const TIMES = 40;
/** How soon the events of a window are to be expected. */
const SOON = 250;

export class List {
  readonly chronicle = new Chronicle();
  #turned = new Turned(this.chronicle);
  /** The favorites: always known, since the first of them are at hand everywhere. */
  readonly favorites = new Shelf(null);
  /** The drawer that is open. */
  drawer = $state.raw<Shelf | null>(null);
  /** The newest of the history have been read. */
  loaded = $state(false);
  /** The favorites have been read. */
  favoritesRead = $state(false);
  /** Grows with every change of any of them. */
  version = $state(0);
  /** What a search found in the open place; `null` when none is asked for. */
  results: Listed | null = null;
  /** Why the open place can't be shown. */
  problem = $state<string | null>(null);

  place: ListPlace | null = null;
  /** Called when the favorites have been read. */
  onFavorites: () => void = () => {};
  /** Called when older clips have been read: they come behind all that were there. */
  onOlder: (part: Listed) => void = () => {};

  /** Grows with each reading from the beginning: what belongs to an earlier one is let go of. */
  #reading = 0;
  /** Older clips are on their way. */
  readingOn = $state(false);
  /** What has come while the favorites are read; `null`: they have been. */
  #ofFavorites: { revision: number; apply: () => void }[] | null = [];
  /** Called when an event has been applied. */
  #followed: () => void = () => {};

  constructor(
    private service: Service,
    private page: Page,
    private prefs: Prefs,
    private rows: Rows,
  ) {}

  /** How many clips there are. */
  get length(): number {
    void this.version;
    return this.chronicle.total;
  }

  /** Older clips are still being read. */
  get partial(): boolean {
    void this.version;
    return this.chronicle.next !== null;
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
    const { ids, kinds, times, steady } = this.chronicle;
    const { order, most } = this.prefs;
    if (ids.length <= most) return order === 'newest' ? { ids, kinds, times, steady } : this.#turned.follow();
    const part = { ids: ids.slice(0, most), kinds: kinds.slice(0, most), times: times.slice(0, most) };
    if (order === 'oldest') Object.values(part).forEach((list: unknown[]) => list.reverse());
    return part;
  }

  /** Older clips of the history are being read that are to be seen, behind the newer ones. */
  get isReadingOn(): boolean {
    const { order, most } = this.prefs;
    return order === 'newest' && this.partial && this.chronicle.ids.length < most;
  }

  /** What is to be seen there was read. */
  get isRead(): boolean {
    if (this.place?.view === 'drawer') return this.drawer?.drawer === this.place.id;
    if (this.place?.view === 'favorites') return this.favoritesRead;
    // The oldest are the last to be read.
    return this.loaded && !(this.place?.view === 'history' && this.prefs.order === 'oldest' && this.partial);
  }

  /** Reads the newest clips; what is answered then is the reading of the favorites. */
  async load(): Promise<{ favorites: Promise<void> }> {
    this.#reading++;
    this.#followed();
    const favorites = this.#readFavorites(this.#reading);
    // Whoever waits for them is told why they could not be read.
    favorites.catch(() => {});
    const outline = await this.service.outline(null, FIRST);
    this.chronicle.load(outline);
    this.rows.clear();
    this.loaded = true;
    this.version++;
    return { favorites };
  }

  /** They may be a while: right after a start the newest clips are there before them. */
  async #readFavorites(reading: number): Promise<void> {
    this.#ofFavorites = [];
    const favorites = await allOf((after) => this.service.favoritesOutline(after, WINDOW));
    if (reading !== this.#reading) return;
    this.favorites.load(favorites);
    this.#ofFavorites.filter((one) => one.revision > favorites.revision).forEach((one) => one.apply());
    this.#ofFavorites = null;
    this.favoritesRead = true;
    this.version++;
    this.onFavorites();
  }

  /** Reads what is older, window by window, as far as it is to be seen. `'gap'`: something was missed, read anew. */
  async readOn(): Promise<'gap' | null> {
    if (this.readingOn) return null;
    this.readingOn = true;
    try {
      for (let times = 0; times < TIMES; times++) {
        const { next, ids } = this.chronicle;
        if (next === null || (this.prefs.order === 'newest' && ids.length >= this.prefs.most)) return null;
        const reading = this.#reading;
        this.chronicle.asking();
        const some = await this.service.outline(next, WINDOW);
        for (let waits = 0; waits < TIMES && reading === this.#reading && some.revision > this.chronicle.revision; waits++) await this.#isFollowed();
        // It is read from the beginning, by somebody who reads on then.
        if (reading !== this.#reading) return null;
        const part = this.#older(some);
        if (part === 'gap') return part;
        if (part === 'again') await new Promise<void>((resume) => this.page.after(AGAIN, resume));
        else times = 0;
      }
      return 'gap';
    } finally {
      this.readingOn = false;
    }
  }

  #older(some: Outline): 'gap' | 'again' | null {
    const part = this.chronicle.append(some);
    if (part === 'gap' || part === 'again') return part;
    this.version++;
    this.onOlder(part);
    return null;
  }

  /** Until the next event has been applied, or everything is read anew; a while at most. */
  #isFollowed(): Promise<void> {
    return new Promise((resume) => {
      const callOff = this.page.after(SOON, resume);
      this.#followed = () => {
        callOff();
        resume();
      };
    });
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
      outline = await allOf((after) => this.service.drawerOutline(id, after, WINDOW));
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

  /** Whatever is told meanwhile is one change of the history. */
  together = (work: () => void): void => this.chronicle.together(work);

  /** A clip has come, was copied again, or has changed. `'gap'`: something was missed, read anew. */
  arrive(event: ClipEvent, came: Came): 'new' | 'known' | 'gap' {
    const { row } = event;
    const moved = this.chronicle.arrive(event);
    this.#followed();
    if (moved === 'gap') return moved;
    if (moved === null) return 'known';
    this.rows.put(row);
    this.#ofFavorites?.push({ revision: event.revision, apply: () => this.favorites.update(row) });
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
    this.#followed();
    if (moved === 'gap') return moved;
    if (moved === null) return null;
    this.rows.forget(event.id);
    this.#ofFavorites?.push({ revision: event.revision, apply: () => this.favorites.leave(event.id) });
    this.favorites.leave(event.id);
    this.drawer?.leave(event.id);
    if (this.results) this.results = without(this.results, event.id);
    came.gone.push(event.id);
    this.version++;
    return null;
  }
}

/** All parts of what is kept in one place, as of the first of them: what has changed since is told of, and applied to that. */
async function allOf(read: (after: string | null) => Promise<KeptOutline>): Promise<KeptOutline> {
  const all = await read(null);
  let after = all.next ?? null;
  for (let parts = 1; after !== null && parts < MOST_PARTS; parts++) {
    const part = await read(after);
    [all.ids, all.kinds] = [all.ids + part.ids, all.kinds + part.kinds];
    all.ranks.push(...part.ranks);
    after = part.next ?? null;
  }
  return all;
}

function without(list: Listed, id: string): Listed {
  const at = list.ids.indexOf(id);
  if (at < 0) return list;
  const cut = <T>(all: T[]): T[] => all.filter((_, n) => n !== at);
  return { ids: cut(list.ids), kinds: cut(list.kinds), times: cut(list.times) };
}
