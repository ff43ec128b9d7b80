// The console's whole state: who is signed in, how things stand, what is said to the person.
import { Failure, Service } from '../api/service';
import { MessageReader, type Message } from '../api/sse';
import type { Acted, ClipEvent, Color, Filled, Form, GoneEvent, Question, Refusal, Row, Status } from '../api/types';
import { History } from './history.svelte';
import { Kept } from './kept.svelte';
import { Prefs } from './prefs.svelte';
import { Search } from './search.svelte';
import { actName, count, summary } from './words';

export interface Toast {
  text: string;
  hint: string | null;
  wrong: boolean;
  act: { label: string; run: () => void } | null;
}

/** A text that asks something before it is taken. */
export interface Asking {
  row: Row;
  questions: Question[];
  answers: Record<string, string>;
  preview: string;
}

/** Where one is. */
export type Place =
  | { view: 'history' | 'favorites' | 'drawers' | 'insight' | 'acts' | 'help' }
  | { view: 'drawer'; id: string };

const LINK = '#entry=';
const VIEWS = ['history', 'favorites', 'drawers', 'insight', 'acts', 'help'] as const;

export class Console {
  service = new Service();
  prefs = new Prefs();
  history = new History(this.service, this.prefs);
  search = new Search(this.service, this.history);
  kept = new Kept(this.service);
  place = $state.raw<Place>({ view: 'history' });
  asking = $state.raw<Asking | null>(null);
  /** Grows when acts may have changed. */
  acted = $state(0);
  /** The newest clip that arrived since the page was opened: what the first start waits for. */
  arrived = $state.raw<Row | null>(null);
  entry = $state<'opening' | 'out' | 'in'>('opening');
  /** Why signing in did not work. */
  entryProblem = $state<string | null>(null);
  status = $state.raw<Status | null>(null);
  /** The service answers. */
  reached = $state(true);
  toast = $state.raw<Toast | null>(null);
  /** Said to screen readers. */
  said = $state('');
  /** Grows with each arrival: the lamp takes a breath. */
  breaths = $state(0);

  #toastTimer: ReturnType<typeof setTimeout> | undefined;
  #queue: Message[] = [];
  #scheduled = false;
  #lastEventId: string | null = null;

  async open(): Promise<void> {
    this.service.onSignedOut = () => (this.entry = 'out');
    const { hash } = window.location;
    if (hash.startsWith(LINK)) {
      window.history.replaceState(null, '', window.location.pathname);
      try {
        await this.service.signIn(hash.slice(LINK.length));
      } catch (why) {
        this.entryProblem = why instanceof Error ? why.message : String(why);
        this.service.forgetKey();
      }
    }
    if (!this.service.hasKey) {
      this.entry = 'out';
      return;
    }
    this.entry = 'in';
    this.readPlace();
    void this.#listen();
  }

  // ---- where one is ----

  /** Reads the place from the address of the page. */
  readPlace(): void {
    const [view, id] = window.location.hash.replace(/^#\//, '').split('/');
    const known = VIEWS.find((one) => one === view);
    this.place = view === 'drawer' && id ? { view, id } : { view: known ?? 'history' };
    this.history.choose([...this.history.chosen], false);
    this.history.unfolded = null;
    this.history.panel = null;
    this.kept.open(this.place.view === 'drawer' ? this.place.id : this.place.view === 'favorites' ? null : undefined);
  }

  go(place: Place): void {
    const hash = place.view === 'drawer' ? `#/drawer/${place.id}` : `#/${place.view}`;
    if (window.location.hash === hash) this.readPlace();
    else window.location.hash = hash;
  }

  /** Searches the history for this. */
  find(query: string): void {
    this.go({ view: 'history' });
    this.search.type(query);
    requestAnimationFrame(() => document.getElementById('search')?.focus());
  }

  // ---- what happens ----

  async #listen(): Promise<void> {
    let pause = 250;
    while (this.entry === 'in') {
      try {
        const stream = await this.service.events(this.#lastEventId, new AbortController().signal);
        if (!this.history.loaded) await this.history.load();
        void this.kept.read().catch(() => {});
        this.reached = true;
        pause = 250;
        const text = stream.pipeThrough(new TextDecoderStream()).getReader();
        const messages = new MessageReader();
        for (;;) {
          const { value, done } = await text.read();
          if (done) break;
          this.#queue.push(...messages.feed(value));
          this.#schedule();
        }
      } catch (why) {
        if (why instanceof Failure && why.status === 401) return;
      }
      this.reached = false;
      await new Promise((resume) => setTimeout(resume, pause));
      pause = Math.min(pause * 2, 4_000);
    }
  }

  /** Arrivals are applied together, once a frame: a flood must not freeze the page. */
  #schedule(): void {
    if (this.#scheduled || this.#queue.length === 0) return;
    this.#scheduled = true;
    const run = () => {
      this.#scheduled = false;
      this.#apply(this.#queue.splice(0));
    };
    if (document.hidden) setTimeout(run, 50);
    else requestAnimationFrame(run);
  }

  #apply(messages: Message[]): void {
    const arrived: Row[] = [];
    let reload = false;
    let kept = false;
    this.history.change(() => {
      for (const { id, event, data } of messages) {
        if (id) this.#lastEventId = id;
        if (event === 'reset') reload = true;
        else if (event === 'status') this.status = JSON.parse(data) as Status;
        else if (event === 'refused') this.#refused(JSON.parse(data) as Refusal);
        else if (event === 'clip') {
          const clip = JSON.parse(data) as ClipEvent;
          const known = this.history.row(clip.row.id);
          const moved = this.history.arrive(clip);
          if (moved === 'gap') reload = true;
          // Brought up is not copied.
          else if (moved && moved.from !== moved.to && (known?.copies ?? 0) < clip.row.copies) arrived.push(clip.row);
        } else if (event === 'gone') {
          if (this.history.leave(JSON.parse(data) as GoneEvent) === 'gap') reload = true;
        } else if (event === 'kept') kept = true;
      }
    });
    if (reload) void this.history.load().catch(() => {});
    if (kept || reload) this.kept.refresh();
    if (messages.some(({ event }) => event !== 'status')) {
      this.search.refresh();
      this.acted++;
    }
    const newest = arrived.at(-1);
    if (newest) {
      this.arrived = newest;
      this.breaths++;
      this.say(arrived.length === 1 ? `Copied: ${summary(newest).slice(0, 120)}` : `${count(arrived.length, 'new copy', 'new copies')}`);
    }
  }

  #refused(refusal: Refusal): void {
    const from = refusal.program ? ` (from ${refusal.program})` : '';
    this.tell(`Not kept${from}: ${refusal.words}.`, { wrong: true });
  }

  // ---- what a person does ----

  async take(id: string, form: Form, answers: Record<string, string> = {}): Promise<void> {
    try {
      const { row, filled } = await this.service.take(id, form, answers);
      this.asking = null;
      const how = form === 'plain' ? ' (as plain text)' : filled ? ' (filled in)' : '';
      this.tell(`A paste now gives: ${summary(row).slice(0, 80)}${how}`);
    } catch (why) {
      const problem = why instanceof Failure ? why.problem : null;
      if (problem?.type !== 'needs-answers') return this.fail(why);
      const row = this.history.row(id) ?? (await this.service.detail(id)).row;
      const questions = problem.questions ?? [];
      const proposed = Object.fromEntries(questions.map((one) => [one.question, one.proposal ?? '']));
      this.asking = { row, questions, answers: proposed, preview: '' };
      void this.previewAnswers(proposed);
    }
  }

  /** An answer is typed: what the text becomes is shown. */
  async previewAnswers(answers: Record<string, string>): Promise<void> {
    const { asking } = this;
    if (!asking) return;
    this.asking = { ...asking, answers };
    const filled: Filled | null = await this.service.fillIns(null, asking.row.id, answers).catch(() => null);
    if (this.asking && this.asking.answers === answers && filled) this.asking = { ...this.asking, preview: filled.text };
  }

  /** Takes the newest clip of what is typed once it was found. */
  async takeFound(form: Form): Promise<void> {
    await this.search.settled();
    const { selected } = this.history;
    if (selected) await this.take(selected, form);
  }

  async remove(ids: string[]): Promise<void> {
    await this.#attempt(async () => {
      const { removed, grace_seconds } = await this.service.remove(ids);
      const minutes = count(Math.ceil(grace_seconds / 60), 'minute');
      this.#told(`Removed ${count(removed, 'clip')}. It can be taken back for ${minutes}.`);
    });
  }

  /** Carries an act out and says so, with the way back. */
  async act(work: Promise<Acted>, words: (acted: Acted) => string): Promise<Acted | null> {
    let done: Acted | null = null;
    await this.#attempt(async () => {
      done = await work;
      this.#told(words(done));
    });
    return done;
  }

  #told(words: string): void {
    this.acted++;
    this.history.choose([...this.history.chosen], false);
    this.tell(words, { act: { label: 'Undo', run: () => void this.undo() } });
  }

  async pin(ids: string[]): Promise<void> {
    const all = ids.every((id) => this.history.row(id)?.kept);
    await (all
      ? this.act(this.service.unpin(ids), ({ count: n }) => `Unpinned ${count(n, 'clip')}.`)
      : this.act(this.service.pin(ids), ({ count: n }) => `Pinned ${count(n, 'clip')} among the favorites.`));
  }

  put = (ids: string[], drawer: string, name: string): Promise<Acted | null> =>
    this.act(this.service.put(ids, drawer), ({ count: n }) => `Put ${count(n, 'clip')} into ${name}.`);

  paint = (ids: string[], color: Color | null): Promise<Acted | null> =>
    this.act(this.service.paint(ids, color), () => (color ? `Colored ${color}.` : 'The color was taken away.'));

  bringUp = (ids: string[]): Promise<Acted | null> =>
    this.act(this.service.bringUp(ids), ({ count: n }) => `Brought ${count(n, 'clip')} to the top.`);

  async undo(): Promise<void> {
    await this.#turn(this.service.undo(), 'Taken back', { label: 'Redo', run: () => void this.redo() });
  }

  async redo(): Promise<void> {
    await this.#turn(this.service.redo(), 'Made again', { label: 'Undo', run: () => void this.undo() });
  }

  async #turn(work: Promise<Acted>, words: string, act: Toast['act']): Promise<void> {
    await this.#attempt(async () => {
      const { act: kind, clips } = await work;
      this.acted++;
      // What comes back is selected: now, if its event was faster than this answer, or when it arrives.
      const back = kind === 'remove' ? clips[0]?.id : undefined;
      if (back !== undefined && this.history.place(back) >= 0) this.history.select(back);
      else this.history.wanted = back ?? null;
      const what = clips.length === 1 && clips[0] ? `: ${summary(clips[0]).slice(0, 60)}` : '';
      this.tell(`${words}: ${actName(kind)}${what}`, { act });
    });
  }

  async #attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work();
    } catch (why) {
      this.fail(why);
    }
  }

  fail(why: unknown): void {
    const hint = why instanceof Failure ? why.hint : null;
    const text = why instanceof Error ? why.message : String(why);
    this.tell(text.charAt(0).toUpperCase() + text.slice(1) + '.', { hint, wrong: true });
  }

  tell(text: string, more: Partial<Toast> = {}): void {
    clearTimeout(this.#toastTimer);
    this.toast = { text, hint: null, wrong: false, act: null, ...more };
    this.say(text);
    const time = this.toast.act || this.toast.wrong ? 12_000 : 5_000;
    this.#toastTimer = setTimeout(() => (this.toast = null), time);
  }

  dismiss(): void {
    clearTimeout(this.#toastTimer);
    this.toast = null;
  }

  /** The same words twice are said twice. */
  say(text: string): void {
    this.said = this.said === text ? `${text}\u00a0` : text;
  }

  /** How many of the newest clips were copied since midnight here. */
  get today(): number {
    void this.history.version;
    const midnight = new Date().setHours(0, 0, 0, 0) / 1_000;
    const { times } = this.history.chronicle;
    let n = 0;
    while (n < times.length && (times[n] ?? 0) >= midnight) n++;
    return n;
  }

  get lamp(): { look: 'lit' | 'dark' | 'broken'; words: string; reason: string | null } {
    if (!this.reached) {
      return { look: 'broken', words: 'The service does not answer', reason: 'Copies are not being kept unless it runs. It is tried again by itself.' };
    }
    const capture = this.status?.capture;
    const reason = capture?.reason ? capture.reason.charAt(0).toUpperCase() + capture.reason.slice(1) + '.' : null;
    switch (capture?.state) {
      case 'keeping':
        return { look: 'lit', words: 'Keeping copies', reason };
      case 'waiting':
        return { look: 'broken', words: 'Copies wait in memory', reason };
      case 'broken':
        return { look: 'broken', words: 'Copies are not being kept', reason };
      case 'off':
        return { look: 'dark', words: 'Capture is off', reason };
      default:
        return { look: 'dark', words: 'Starting', reason };
    }
  }
}
