// The console's whole state: who is signed in, how things stand, what is said to the person.
import { Failure, Service } from '../api/service';
import { MessageReader, type Message } from '../api/sse';
import type { ClipEvent, Form, GoneEvent, Refusal, Row, Status } from '../api/types';
import { History } from './history.svelte';
import { count, summary } from './words';

export interface Toast {
  text: string;
  hint: string | null;
  wrong: boolean;
  act: { label: string; run: () => void } | null;
}

const LINK = '#entry=';

export class Console {
  service = new Service();
  history = new History(this.service);
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
    void this.#listen();
  }

  // ---- what happens ----

  async #listen(): Promise<void> {
    let pause = 250;
    while (this.entry === 'in') {
      try {
        const stream = await this.service.events(this.#lastEventId, new AbortController().signal);
        if (!this.history.loaded) await this.history.load();
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
    this.history.change(() => {
      for (const { id, event, data } of messages) {
        if (id) this.#lastEventId = id;
        if (event === 'reset') reload = true;
        else if (event === 'status') this.status = JSON.parse(data) as Status;
        else if (event === 'refused') this.#refused(JSON.parse(data) as Refusal);
        else if (event === 'clip') {
          const clip = JSON.parse(data) as ClipEvent;
          const moved = this.history.arrive(clip);
          if (moved === 'gap') reload = true;
          else if (moved && moved.from !== moved.to) arrived.push(clip.row);
        } else if (event === 'gone') {
          if (this.history.leave(JSON.parse(data) as GoneEvent) === 'gap') reload = true;
        }
      }
    });
    if (reload) void this.history.load().catch(() => {});
    const newest = arrived.at(-1);
    if (newest) {
      this.breaths++;
      this.say(arrived.length === 1 ? `Copied: ${summary(newest).slice(0, 120)}` : `${count(arrived.length, 'new copy', 'new copies')}`);
    }
  }

  #refused(refusal: Refusal): void {
    const from = refusal.program ? ` (from ${refusal.program})` : '';
    this.tell(`Not kept${from}: ${refusal.words}.`, { wrong: true });
  }

  // ---- what a person does ----

  async take(id: string, form: Form): Promise<void> {
    await this.#attempt(async () => {
      const { row } = await this.service.take(id, form);
      this.tell(`A paste now gives: ${summary(row).slice(0, 80)}${form === 'plain' ? ' (as plain text)' : ''}`);
    });
  }

  async remove(ids: string[]): Promise<void> {
    await this.#attempt(async () => {
      const { removed, grace_seconds } = await this.service.remove(ids);
      const minutes = count(Math.ceil(grace_seconds / 60), 'minute');
      this.tell(`Removed ${count(removed, 'clip')}. It can be taken back for ${minutes}.`, {
        act: { label: 'Undo', run: () => void this.undo() },
      });
    });
  }

  async undo(): Promise<void> {
    await this.#attempt(async () => {
      const { clips } = await this.service.undo();
      this.history.wanted = clips[0]?.id ?? null;
      this.tell(`Here again: ${clips.length === 1 && clips[0] ? summary(clips[0]).slice(0, 80) : count(clips.length, 'clip')}`);
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
