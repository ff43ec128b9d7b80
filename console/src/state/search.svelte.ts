// Searching as one types, in the place that is open: the newest matches first, everything that matches after; a newer
// keystroke gives up the older search. What was found stays as it is while one looks at it; what came since is counted.
import { Failure } from '../api/failure';
import type { Completion, Excerpt, Found, FoundOutline } from '../api/types';
import type { Service } from '../border/service';
import { kindLetter } from './chronicle';
import type { List } from './list.svelte';
import type { Listed } from './listed';
import type { Page } from './page';
import type { ListPlace } from './place.svelte';
import { withKind } from './query';
import type { Rows } from './rows.svelte';
import type { Selection } from './selection.svelte';
import type { Sight } from './sight.svelte';

/** Matches that come first: a screenful. */
const FIRST = 30;
/** Matches that are listed at most; all are counted. */
const LISTED = 5_000;
/** A pause in typing, in milliseconds. */
const REST = 150;

/** What a query asks, and where. */
interface Asked {
  text: string;
  within: string | null;
}

export class Search {
  text = $state('');
  /** Why the query can't be read, and where (characters). */
  error = $state.raw<{ words: string; at: [number, number] | null } | null>(null);
  count = $state<number | null>(null);
  more = $state(false);
  /** Nothing matches: what is listed comes nearest to the words. */
  nearest = $state(false);
  /** Nothing matches: what comes nearest is being looked for. */
  looking = $state(false);
  unread = $state(0);
  /** Matches that have come since, as far as the first ones tell. */
  fresh = $state(0);
  completions = $state.raw<Completion[]>([]);
  excerpts = $state.raw<ReadonlyMap<string, Excerpt[]>>(new Map());
  /** The text whose results are on the screen. */
  shownFor = $state('');
  /** Called when a query is asked, so that the address says it. */
  onAsked: (text: string) => void = () => {};

  #running: AbortController | null = null;
  #completing: AbortController | null = null;
  #callOff: () => void = () => {};
  #place: ListPlace | null = null;

  constructor(
    private service: Service,
    private list: List,
    private rows: Rows,
    private sight: Sight,
    private selection: Selection,
    private page: Page,
  ) {}

  get active(): boolean {
    return this.text.trim() !== '';
  }

  /** What is on the screen belongs to what stands in the field. */
  get isSettled(): boolean {
    return this.active ? this.shownFor === this.text && this.error === null : this.shownFor === '';
  }

  get #asked(): Asked {
    const place = this.#place;
    return { text: this.text, within: place?.view === 'drawer' ? place.id : place?.view === 'favorites' ? 'favorites' : null };
  }

  /** One has come to a place, with a query or without. */
  enter(place: ListPlace | null): void {
    this.#place = place;
    this.#running?.abort();
    this.#completing?.abort();
    this.completions = [];
    this.text = place?.query ?? '';
    this.shownFor = '';
    this.list.results = null;
    this.#forget();
    if (this.active) void this.#run();
  }

  #forget(): void {
    this.error = null;
    this.count = null;
    this.more = false;
    this.nearest = false;
    this.looking = false;
    this.fresh = 0;
    if (this.excerpts.size > 0) this.excerpts = new Map();
  }

  /** The query has changed. */
  type(text: string, cursor = text.length): void {
    this.text = text;
    void this.#run();
    void this.#complete(text, cursor);
  }

  clear(): void {
    this.type('');
  }

  setKind(kind: string | null): void {
    this.type(withKind(this.text, kind));
  }

  /** The newest clip that this query finds: whatever is typed after it was asked. */
  async firstOf(text: string): Promise<string | null> {
    const found = await this.service.search({ ...this.#asked, text }, 1, new AbortController().signal);
    found.hits.forEach((hit) => this.rows.put(hit.row));
    return found.hits[0]?.row.id ?? null;
  }

  /** Something has changed: what would be found now is counted, soon, and shown where nothing is shown yet. */
  refresh(): void {
    if (!this.active) return;
    this.#callOff();
    this.#callOff = this.page.after(120, () => void this.#look());
  }

  /** One's own act has changed what there is: what is found now is shown. */
  again(): void {
    if (this.active) void this.#run(true);
  }

  async #look(): Promise<void> {
    const asked = this.#asked;
    if (!this.isSettled) return;
    try {
      const found = await this.service.search(asked, FIRST, new AbortController().signal);
      if (asked.text !== this.text || !this.isSettled) return;
      if (this.sight.now.ids.length === 0 || (this.nearest && found.hits.length > 0)) return void this.#run(true);
      const known = new Set(this.sight.now.ids.slice(0, FIRST * 2));
      this.fresh = found.hits.filter((hit) => !known.has(hit.row.id)).length;
    } catch {
      // It is counted again with the next change.
    }
  }

  async #run(again = false): Promise<void> {
    this.#running?.abort();
    this.#callOff();
    const running = new AbortController();
    this.#running = running;
    const asked = this.#asked;
    if (!this.active) {
      const had = this.list.results !== null;
      this.list.results = null;
      this.shownFor = '';
      this.#forget();
      if (had) this.#show(null);
      this.onAsked('');
      return;
    }
    try {
      const found = await this.service.search(asked, FIRST, running.signal);
      if (running.signal.aborted) return;
      this.looking = found.hits.length === 0;
      this.#first(asked, found, again);
      // Everything that matches is looked at once the typing rests: the next keystroke must not wait for it.
      await this.#rest();
      if (running.signal.aborted) return;
      this.onAsked(asked.text);
      if (found.hits.length === 0) return await this.#nearest(asked, running.signal);
      if (!found.more) return;
      const all = await this.service.searchOutline(asked, LISTED, running.signal);
      if (!running.signal.aborted) this.#others(all);
    } catch (why) {
      if (running.signal.aborted) return;
      this.looking = false;
      const problem = why instanceof Failure ? why.problem : null;
      this.error = {
        words: why instanceof Error ? why.message : String(why),
        at: (problem?.at as [number, number] | null | undefined) ?? null,
      };
    }
  }

  /** Nothing matches: what comes nearest. */
  async #nearest(asked: Asked, signal: AbortSignal): Promise<void> {
    const near = await this.service.search({ ...asked, nearest: true }, FIRST, signal);
    if (signal.aborted) return;
    this.looking = false;
    if (near.hits.length > 0) this.#first(asked, near, true);
  }

  /** Matches, their list and the one that Enter takes change together. */
  #first(asked: Asked, found: Found, again: boolean): void {
    const rows = found.hits.map((hit) => hit.row);
    this.rows.put(...rows);
    this.excerpts = new Map(found.hits.map((hit) => [hit.row.id, hit.excerpts]));
    this.error = null;
    this.fresh = 0;
    this.more = found.more;
    this.unread = found.unread;
    this.nearest = found.nearest === true;
    this.count = found.more ? null : this.nearest ? 0 : rows.length;
    this.list.results = { ids: rows.map((row) => row.id), kinds: rows.map(kindLetter), times: rows.map((row) => Math.floor(row.copied_at / 1e6)) };
    this.shownFor = asked.text;
    const kept = again && this.selection.selected !== null && this.list.results.ids.includes(this.selection.selected);
    if (again) this.sight.adopt();
    else this.#show(rows[0]?.id ?? null);
    if (!kept) this.selection.select(rows[0]?.id ?? null);
  }

  #show(selected: string | null): void {
    this.selection.begin(selected);
    this.sight.show(this.list.isRead, this.#place?.view === 'history' && !this.active);
  }

  /** Until the typing rests. */
  #rest = (): Promise<void> => new Promise((resume) => this.page.after(REST, resume));

  /** Everything else comes after what is on the screen already, in its order. */
  #others(all: FoundOutline): void {
    const shown = this.sight.now;
    const known = new Set(shown.ids);
    const rest: Listed = { ids: [], kinds: [], times: [] };
    all.times.forEach((time, n) => {
      const id = all.ids.slice(n * 26, (n + 1) * 26);
      if (known.has(id)) return;
      rest.ids.push(id);
      rest.kinds.push(all.kinds[n] ?? 't');
      rest.times.push(time);
    });
    this.list.results = {
      ids: [...shown.ids, ...rest.ids],
      kinds: [...shown.kinds, ...rest.kinds],
      times: [...shown.times, ...rest.times],
    };
    this.sight.adopt();
    this.count = all.count;
  }

  async #complete(text: string, cursor: number): Promise<void> {
    this.#completing?.abort();
    const completing = new AbortController();
    this.#completing = completing;
    if (text.trim() === '') {
      this.completions = [];
      return;
    }
    // Nobody reads them at full speed, and the next keystroke should not wait for them.
    await new Promise<void>((resume) => this.page.after(60, resume));
    if (completing.signal.aborted) return;
    try {
      const found = await this.service.complete(text, [...text.slice(0, cursor)].length, completing.signal);
      if (!completing.signal.aborted) this.completions = found;
    } catch {
      if (!completing.signal.aborted) this.completions = [];
    }
  }
}
