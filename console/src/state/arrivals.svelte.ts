// What the service tells: each thing goes to the part of the state that it is about.
import { Failure } from '../api/failure';
import type { ClipEvent, GoneEvent, Refusal, Row, Status } from '../api/types';
import type { Service } from '../border/service';
import type { Acts } from './acts.svelte';
import type { Kept } from './kept.svelte';
import type { List } from './list.svelte';
import type { Messages } from './messages.svelte';
import type { Page } from './page';
import type { Search } from './search.svelte';
import type { Selection } from './selection.svelte';
import type { Session } from './session.svelte';
import { count, summary } from './words';

/** One thing that was told. */
export interface Told {
  id?: string;
  event?: string;
  data: string;
}

/** The parts of the state that are told. */
export interface Parts {
  session: Session;
  list: List;
  selection: Selection;
  search: Search;
  kept: Kept;
  acts: Acts;
  messages: Messages;
}

/** Pauses before the service is called again, in milliseconds. */
const FIRST_PAUSE = 250;
const LONGEST_PAUSE = 4_000;

export class Arrivals {
  /** The newest clip that arrived since the page was opened: what the first start waits for. */
  newest = $state.raw<Row | null>(null);
  /** Grows with each arrival: the lamp takes a breath. */
  breaths = $state(0);

  #queue: Told[] = [];
  #scheduled = false;
  #lastEventId: string | null = null;

  constructor(
    private service: Service,
    private page: Page,
    private parts: Parts,
  ) {}

  /** Listens for as long as one is signed in. */
  async listen(): Promise<void> {
    const { session, list, kept } = this.parts;
    let pause = FIRST_PAUSE;
    while (session.entry === 'in') {
      try {
        const events = (await this.service.events(this.#lastEventId)).getReader();
        if (!list.loaded) await this.#reload();
        void kept.read().catch(() => {});
        session.reached = true;
        pause = FIRST_PAUSE;
        for (;;) {
          const { value, done } = await events.read();
          if (done) break;
          this.#queue.push(value);
          this.#schedule();
        }
      } catch (why) {
        if (why instanceof Failure && why.status === 401) return;
      }
      session.reached = false;
      await new Promise<void>((resume) => this.page.after(pause, resume));
      pause = Math.min(pause * 2, LONGEST_PAUSE);
    }
  }

  async #reload(): Promise<void> {
    await this.parts.list.load();
    this.parts.selection.reloaded();
  }

  /** Arrivals are applied together, once a frame: a flood must not freeze the page. */
  #schedule(): void {
    if (this.#scheduled || this.#queue.length === 0) return;
    this.#scheduled = true;
    this.page.withNextFrame(() => {
      this.#scheduled = false;
      this.apply(this.#queue.splice(0));
    });
  }

  /** Applies what was told, in its order, as one change of the list. */
  apply(told: Told[]): void {
    const { session, list, selection, kept, search, acts, messages } = this.parts;
    const arrived: Row[] = [];
    let reload = false;
    let keptChanged = false;
    list.change(() => {
      for (const { id, event, data } of told) {
        if (id) this.#lastEventId = id;
        if (event === 'reset') reload = true;
        else if (event === 'status') session.status = JSON.parse(data) as Status;
        else if (event === 'refused') this.#refused(JSON.parse(data) as Refusal);
        else if (event === 'clip') {
          const clip = JSON.parse(data) as ClipEvent;
          const known = list.row(clip.row.id);
          const moved = list.arrive(clip);
          if (moved === 'gap') reload = true;
          else {
            selection.came(clip.row.id);
            // Brought up is not copied.
            if (moved && moved.from !== moved.to && (known?.copies ?? 0) < clip.row.copies) arrived.push(clip.row);
          }
        } else if (event === 'gone') {
          if (list.leave(JSON.parse(data) as GoneEvent) === 'gap') reload = true;
        } else if (event === 'kept') keptChanged = true;
      }
    });
    if (reload) void this.#reload().catch(() => {});
    if (keptChanged || reload) kept.refresh();
    if (told.some(({ event }) => event !== 'status')) {
      search.refresh();
      acts.changed();
    }
    const newest = arrived.at(-1);
    if (newest) {
      this.newest = newest;
      this.breaths++;
      messages.say(
        arrived.length === 1 ? `Copied: ${summary(newest).slice(0, 120)}` : count(arrived.length, 'new copy', 'new copies'),
      );
    }
  }

  #refused(refusal: Refusal): void {
    const from = refusal.program ? ` (from ${refusal.program})` : '';
    this.parts.messages.tell(`Not kept${from}: ${refusal.words}.`, { wrong: true });
  }
}
