// Searching as one types: the newest matches first, everything that matches after; a newer keystroke gives up the
// older search. What arrives is found without moving the selection.
import { Failure } from '../api/failure';
import type { Completion, Excerpt } from '../api/types';
import type { Service } from '../border/service';
import { kindLetter } from './chronicle';
import type { List } from './list.svelte';
import type { Page } from './page';
import { withKind } from './query';
import type { Selection } from './selection.svelte';

const FIRST = 50;
/** Matches that are listed at most; all are counted. */
const LISTED = 5_000;
/** A pause in typing, in milliseconds. */
const REST = 150;

export class Search {
  text = $state('');
  /** Why the query can't be read, and where (characters). */
  error = $state.raw<{ words: string; at: [number, number] | null } | null>(null);
  count = $state<number | null>(null);
  more = $state(false);
  unread = $state(0);
  completions = $state.raw<Completion[]>([]);
  excerpts = $state.raw<ReadonlyMap<string, Excerpt[]>>(new Map());
  /** The text whose results are shown. */
  shownFor = $state('');

  #running: AbortController | null = null;
  #completing: AbortController | null = null;
  #callOff: () => void = () => {};
  #settled: Promise<void> = Promise.resolve();

  constructor(
    private service: Service,
    private list: List,
    private selection: Selection,
    private page: Page,
  ) {}

  get active(): boolean {
    return this.text.trim() !== '';
  }

  /** The query has changed. */
  type(text: string, cursor = text.length): void {
    this.text = text;
    this.#settled = this.#run(false);
    void this.#complete(text, cursor);
  }

  /** The results for what is typed are there. */
  settled(): Promise<void> {
    return this.#settled;
  }

  clear(): void {
    this.type('');
  }

  setKind(kind: string | null): void {
    this.type(withKind(this.text, kind));
  }

  /** Something has changed: look again, soon. */
  refresh(): void {
    if (!this.active) return;
    this.#callOff();
    this.#callOff = this.page.after(120, () => void this.#run(true));
  }

  async #run(again: boolean): Promise<void> {
    this.#running?.abort();
    const running = new AbortController();
    this.#running = running;
    const { text, list, selection } = this;
    if (!this.active) {
      this.error = null;
      this.count = null;
      this.shownFor = '';
      if (list.results) {
        list.show(null);
        selection.select(null);
      }
      return;
    }
    try {
      const found = await this.service.search(text, FIRST, running.signal);
      const rows = found.hits.map((hit) => hit.row);
      list.remember(rows);
      this.excerpts = new Map(found.hits.map((hit) => [hit.row.id, hit.excerpts]));
      this.error = null;
      this.more = found.more;
      this.unread = found.unread;
      this.count = found.more ? (again ? this.count : null) : rows.length;
      const ids = rows.map((row) => row.id);
      const keep = again && selection.selected !== null;
      if (!again || !found.more) {
        const found = { ids, kinds: rows.map(kindLetter), times: rows.map((row) => Math.floor(row.copied_at / 1e6)) };
        if (again) list.change(() => (list.results = found));
        else list.show(found);
      }
      // What Enter takes is chosen now, and stays chosen whatever arrives.
      if (!keep) selection.select(ids[0] ?? null);
      this.shownFor = text;
      if (!found.more) return;
      // Everything that matches is looked at once the typing rests: the next keystroke must not wait for it.
      await new Promise<void>((resume) => this.page.after(REST, resume));
      if (running.signal.aborted) return;
      const all = await this.service.searchOutline(text, LISTED, running.signal);
      list.change(() => {
        list.results = {
          ids: Array.from({ length: all.kinds.length }, (_, n) => all.ids.slice(n * 26, (n + 1) * 26)),
          kinds: [...all.kinds],
          times: all.times,
        };
      });
      this.count = all.count;
    } catch (why) {
      if (running.signal.aborted) return;
      const problem = why instanceof Failure ? why.problem : null;
      this.error = {
        words: why instanceof Error ? why.message : String(why),
        at: (problem?.at as [number, number] | null | undefined) ?? null,
      };
    }
  }

  async #complete(text: string, cursor: number): Promise<void> {
    this.#completing?.abort();
    const completing = new AbortController();
    this.#completing = completing;
    if (text.trim() === '') {
      this.completions = [];
      return;
    }
    try {
      this.completions = await this.service.complete(text, [...text.slice(0, cursor)].length, completing.signal);
    } catch {
      if (!completing.signal.aborted) this.completions = [];
    }
  }
}
