// What the service tells: each thing goes to the part of the state that it is about.
import { Failure } from '../api/failure';
import type { BatchesEvent, ClipEvent, GoneEvent, KeptEvent, Refusal, Row, Status } from '../api/types';
import type { Service } from '../border/service';
import type { Acts } from './acts.svelte';
import type { Batches } from './batches.svelte';
import type { Drafts } from './drafts.svelte';
import type { Drawers } from './drawers.svelte';
import type { List } from './list.svelte';
import type { Messages } from './messages.svelte';
import type { Page } from './page';
import type { Prefs } from './prefs.svelte';
import type { Rows } from './rows.svelte';
import type { Search } from './search.svelte';
import type { Selection } from './selection.svelte';
import type { Session } from './session.svelte';
import type { Came, Sight } from './sight.svelte';
import { summary } from './words';
import { t } from '../language/language.svelte';

/** One thing that was told. */
export interface Told {
  id?: string;
  event?: string;
  data: string;
}

/** The parts of the state that are told. */
export interface Parts {
  session: Session;
  rows: Rows;
  list: List;
  sight: Sight;
  selection: Selection;
  search: Search;
  drawers: Drawers;
  drafts: Drafts;
  acts: Acts;
  batches: Batches;
  messages: Messages;
  prefs: Prefs;
  /** Everything was read anew. */
  reloaded: () => void;
}

/** Pauses before the service is called again, in milliseconds. */
const FIRST_PAUSE = 250;
const LONGEST_PAUSE = 4_000;
/** Between two changes of the list by copies, in milliseconds. */
const FLOOD = 100;
/** How many times as long as it took to apply what came nothing is applied afterwards; milliseconds of that at most. */
const REST = 5;
const LONGEST_REST = 1_000;
/** How often everything is read in one go; what is still missed then is read with what comes next. */
const MOST_READINGS = 3;
/** Between two sounds, likewise. */
const APART = 400;

/** Nobody here waits to see it: something was copied, or how things stand after it. What one does oneself is neither. */
const mayWait = ({ event, data }: Told): boolean => event === 'status' || (event === 'clip' && (JSON.parse(data) as ClipEvent).copied === true);

export class Arrivals {
  /** The newest clip that arrived since the page was opened: what the first start waits for. */
  newest = $state.raw<Row | null>(null);
  /** Grows with each arrival: the lamp takes a breath. */
  breaths = $state(0);

  #queue: Told[] = [];
  #due: 'frame' | 'pause' | null = null;
  #callOff: () => void = () => {};
  #dueAt = 0;
  #applied = 0;
  #took = 0;
  #lastEventId: string | null = null;
  #listening = false;
  #lampSaid = '';
  #sounded = -Infinity;
  /** Everything is being read, and is to be read (once more). */
  #reading = false;
  #unread = false;
  /** How often something was missed while older clips were read. */
  #missed = 0;
  /** What was told of meanwhile. */
  #meanwhile: Told[] = [];

  constructor(
    private service: Service,
    private page: Page,
    private parts: Parts,
  ) {}

  /** Listens for as long as one is signed in. */
  async listen(): Promise<void> {
    if (this.#listening) return;
    this.#listening = true;
    const { session, list, drawers, drafts } = this.parts;
    let pause = FIRST_PAUSE;
    while (session.entry === 'in') {
      try {
        const events = (await this.service.events(this.#lastEventId)).getReader();
        if (!list.loaded || this.#unread) await this.#reload();
        else void this.readOn();
        void drawers.read().catch(() => {});
        void this.parts.batches.read().catch(() => {});
        session.reached = true;
        this.#sayLamp();
        void drafts.handOver();
        pause = FIRST_PAUSE;
        for (;;) {
          const { value, done } = await events.read();
          if (done) break;
          this.#queue.push(value);
          this.#schedule(mayWait(value));
        }
      } catch (why) {
        if (why instanceof Failure && why.status === 401) break;
      }
      if (session.entry !== 'in') break;
      session.reached = false;
      await new Promise<void>((resume) => this.page.after(pause, resume));
      // One renewal of a connection is nothing to speak of.
      if (pause > FIRST_PAUSE) this.#sayLamp();
      pause = Math.min(pause * 2, LONGEST_PAUSE);
    }
    this.#listening = false;
  }

  /** Reads everything anew. What comes meanwhile may be newer than what is read, and is applied to that. */
  async #reload(): Promise<void> {
    this.#unread = true;
    if (this.#reading) return;
    this.#reading = true;
    let favorites = Promise.resolve();
    try {
      // What is asked for while it is read is read once more.
      for (let times = 0; this.#unread && times < MOST_READINGS; times++) {
        this.#unread = false;
        favorites = (await this.parts.list.load()).favorites;
      }
    } catch (why) {
      // It is read when the service can be reached again; what came is read with it.
      this.#unread = true;
      this.#meanwhile = [];
      throw why;
    } finally {
      this.#reading = false;
    }
    this.parts.reloaded();
    this.apply(this.#meanwhile.splice(0));
    // What could not be read is read when the service can be reached again.
    favorites.catch(() => (this.#unread = true));
    void this.readOn();
  }

  /** Reads what is older than what has been read. */
  async readOn(): Promise<void> {
    // What fails is read on when the service can be reached again.
    const outcome = await this.parts.list.readOn().catch(() => null);
    if (outcome === null) {
      this.#missed = 0;
    } else if (this.#missed++ < MOST_READINGS) {
      await this.#reload().catch(() => {});
    }
  }

  /** Says how things stand, when that has changed. */
  #sayLamp(): void {
    const { lamp } = this.parts.session;
    const said = lamp.reason ? `${lamp.words}. ${lamp.reason}` : lamp.words;
    const first = this.#lampSaid === '';
    if (said === this.#lampSaid || lamp.words === 'Starting') return;
    this.#lampSaid = said;
    if (!first || lamp.look === 'broken') this.parts.messages.say(said);
  }

  /**
   * What comes is applied together, with the next frame; copies, which may wait, no sooner than `FLOOD` after the last:
   * many of them must not keep the page busy, nor must a whole history that comes from another device.
   */
  #schedule(mayWait: boolean): void {
    if (this.#due === 'frame') return;
    const rest = Math.min(this.#took * REST, LONGEST_REST);
    const dueAt = this.#applied + Math.max(mayWait ? FLOOD : 0, rest);
    const pause = dueAt - this.page.now();
    if (pause <= 0) {
      this.#callOff();
      this.#withNextFrame();
    } else if (this.#due === null || dueAt < this.#dueAt) {
      this.#callOff();
      [this.#due, this.#dueAt] = ['pause', dueAt];
      this.#callOff = this.page.after(Math.min(pause, LONGEST_REST), () => this.#withNextFrame());
    }
  }

  #withNextFrame(): void {
    this.#due = 'frame';
    this.page.withNextFrame(() => {
      this.#due = null;
      const began = this.page.now();
      this.#applied = began;
      this.apply(this.#queue.splice(0));
      // When it is on the screen as well.
      this.page.after(0, () => {
        this.#applied = this.page.now();
        this.#took = this.#applied - began;
      });
    });
  }

  /** Applies what was told, in its order, as one change of the list. */
  apply(told: Told[]): void {
    const { session, sight, selection, drawers, search, acts, list } = this.parts;
    const copied: Row[] = [];
    let reload = false;
    let changed = false;
    let batches: BatchesEvent | null = null;
    const kept: KeptEvent[] = [];
    let listed = told.filter(({ event }) => event === 'clip' || event === 'gone');
    if (this.#reading || told.some(({ event }) => event === 'reset')) {
      this.#meanwhile.push(...listed);
      listed = [];
    }
    for (const { id, event, data } of told) {
      if (id) this.#lastEventId = id;
      if (event === 'reset') reload = true;
      else if (event === 'status') {
        const before = session.status?.hitch;
        const brought = session.status?.brought?.at;
        session.status = JSON.parse(data) as Status;
        this.#sayLamp();
        this.#brought(brought);
        const { hitch } = session.status;
        if (hitch && hitch.at !== before?.at) this.parts.messages.tell(`${hitch.words.charAt(0).toUpperCase()}${hitch.words.slice(1)}.`, { wrong: true });
      } else if (event === 'refused') this.#refused(JSON.parse(data) as Refusal);
      else if (event === 'batches') batches = JSON.parse(data) as BatchesEvent;
      else if (event === 'kept') kept.push(JSON.parse(data) as KeptEvent);
    }
    if (listed.length > 0 && list.loaded) {
      sight.turn(() => {
        const came: Came = { ids: [], gone: [] };
        list.together(() => {
          for (const { event, data } of listed) {
            const outcome = event === 'clip' ? this.#clip(JSON.parse(data) as ClipEvent, came, copied) : this.#gone(JSON.parse(data) as GoneEvent, came);
            if (outcome === 'gap') reload = true;
            else changed = true;
          }
        });
        return came;
      });
      selection.came();
      drawers.settle();
    }
    if (reload) void this.#reload().catch(() => {});
    if (batches || reload) this.parts.batches.heard(batches);
    if (batches) acts.changed();
    if (kept.length > 0 || reload) this.#kept(kept.flatMap((one) => one.drawers), reload);
    if (changed || reload) search.refresh();
    if (changed || reload || kept.length > 0) acts.changed();
    this.#announce(copied);
  }

  #clip(event: ClipEvent, came: Came, copied: Row[]): 'gap' | 'new' | 'known' {
    const { rows, list, drafts } = this.parts;
    const known = rows.get(event.row.id);
    const outcome = list.arrive(event, came);
    // What waited in memory is told of again once it is saved.
    if (outcome !== 'gap' && event.copied && (known?.copies ?? 0) < event.row.copies) {
      copied.push(event.row);
      drafts.heard(event.row.id, false, true);
    } else if (outcome !== 'gap') drafts.heard(event.row.id, false, false);
    return outcome;
  }

  #gone(event: GoneEvent, came: Came): 'gap' | null {
    const outcome = this.parts.list.leave(event, came);
    if (outcome === null) this.parts.drafts.heard(event.id, true, false);
    return outcome;
  }

  /** Drawers have changed; what is in the open one is read anew only if it was that one. */
  #kept(changed: string[], all: boolean): void {
    const { drawers, list, sight } = this.parts;
    drawers.refresh();
    const open = list.place?.view === 'drawer' ? list.place.id : null;
    if (open === null || !(all || changed.includes(open))) return;
    void list.readDrawer().then((put) => put && sight.turn(put));
  }

  #announce(copied: Row[]): void {
    const newest = copied.at(-1);
    if (!newest) return;
    this.newest = newest;
    this.breaths++;
    const now = this.page.now();
    if (this.parts.prefs.sound && now - this.#sounded >= APART) {
      this.#sounded = now;
      this.page.chime();
    }
    this.parts.messages.sayCopied(summary(newest).slice(0, 120), copied.length);
  }

  /** A sign that another device has sent something to this one. */
  #brought(before: number | undefined): void {
    const brought = this.parts.session.status?.brought;
    if (!brought || brought.at === before) return;
    const where = brought.live ? ` ${t('It is on the live clipboard.')}` : '';
    this.parts.messages.tell(`${t('{device} has sent you a clip.', { device: brought.device })}${where}`);
  }

  #refused(refusal: Refusal): void {
    const { program, words } = refusal;
    this.parts.messages.tell(program ? t('Not kept (from {program}): {words}.', { program, words }) : t('Not kept: {words}.', { words }), { wrong: true });
  }
}
