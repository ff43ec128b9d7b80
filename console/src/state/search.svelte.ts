// Searching as one types: the newest matches first, everything that matches after; a newer keystroke gives up the
// older search. What arrives is found without moving the selection.
import { Failure, type Service } from '../api/service';
import type { Completion, Excerpt } from '../api/types';
import { kindLetter } from './chronicle';
import type { History } from './history.svelte';
import { withKind } from './query';

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
  /** Milliseconds from the last keystroke to its results. */
  took = $state(0);
  /** The text whose results are shown. */
  shownFor = $state('');

  #running: AbortController | null = null;
  #completing: AbortController | null = null;
  #again: ReturnType<typeof setTimeout> | undefined;
  #settled: Promise<void> = Promise.resolve();

  constructor(
    private service: Service,
    private history: History,
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
    clearTimeout(this.#again);
    this.#again = setTimeout(() => void this.#run(true), 120);
  }

  async #run(again: boolean): Promise<void> {
    this.#running?.abort();
    const running = new AbortController();
    this.#running = running;
    const { text, history } = this;
    const started = performance.now();
    if (!this.active) {
      this.error = null;
      this.count = null;
      this.shownFor = '';
      if (history.results) {
        history.show(null);
        history.select(null);
      }
      return;
    }
    try {
      const found = await this.service.search(text, FIRST, running.signal);
      const rows = found.hits.map((hit) => hit.row);
      history.remember(rows);
      this.excerpts = new Map(found.hits.map((hit) => [hit.row.id, hit.excerpts]));
      this.error = null;
      this.more = found.more;
      this.unread = found.unread;
      this.count = found.more ? (again ? this.count : null) : rows.length;
      const ids = rows.map((row) => row.id);
      const keep = again && history.selected !== null;
      if (!again || !found.more) {
        const list = { ids, kinds: rows.map(kindLetter), times: rows.map((row) => Math.floor(row.copied_at / 1e6)) };
        if (again) history.change(() => (history.results = list));
        else history.show(list);
      }
      // What Enter takes is chosen now, and stays chosen whatever arrives.
      if (!keep) history.select(ids[0] ?? null);
      this.shownFor = text;
      this.took = performance.now() - started;
      if (!found.more) return;
      // Everything that matches is looked at once the typing rests: the next keystroke must not wait for it.
      await new Promise((resume) => setTimeout(resume, REST));
      if (running.signal.aborted) return;
      const all = await this.service.searchOutline(text, LISTED, running.signal);
      history.change(() => {
        history.results = {
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
