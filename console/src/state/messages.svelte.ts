// What is said to the person: a line on the screen, and words for screen readers, one after another.
import { Failure } from '../api/failure';
import type { Command } from './keys.svelte';
import type { Page } from './page';
import { count } from './words';
import { t } from '../language/language.svelte';

export interface Toast {
  text: string;
  hint: string | null;
  wrong: boolean;
  /** What can be done about it, and the key that does the same, if one does. */
  act: { label: string; key?: Command; run: () => void } | null;
}

/** Words for screen readers stand at least so long, and longer with their length (milliseconds). */
const LEAST = 900;
const A_CHARACTER = 25;
const LONGEST = 4_000;
/** Words that wait; older ones of less weight make room. */
const WAITING = 8;

export class Messages {
  toast = $state.raw<Toast | null>(null);
  /** Said to screen readers. */
  said = $state('');
  #goes: () => void = () => {};
  #queue: string[] = [];
  /** Copies that came while something else is being said. */
  #copies = 0;
  #lastCopy = '';
  #speaking = false;

  constructor(private page: Page) {}

  tell(text: string, more: Partial<Toast> = {}): void {
    this.#goes();
    this.toast = { text, hint: null, wrong: false, act: null, ...more };
    this.say(more.hint ? `${text} ${more.hint}` : text);
    const time = this.toast.act || this.toast.wrong ? 12_000 : 5_000;
    this.#goes = this.page.after(time, () => (this.toast = null));
  }

  fail(why: unknown): void {
    const hint = why instanceof Failure ? why.hint : null;
    const text = why instanceof Error ? why.message : String(why);
    this.tell(`${text.charAt(0).toUpperCase()}${text.slice(1)}${/[.!?]$/.test(text) ? '' : '.'}`, { hint, wrong: true });
  }

  dismiss(): void {
    this.#goes();
    this.toast = null;
  }

  /** Says something once what is being said now has had its time. */
  say(text: string): void {
    this.#queue.push(text);
    if (this.#queue.length > WAITING) this.#queue.shift();
    this.#next();
  }

  /** Copies have come: one is named, many are counted, however fast they come. */
  sayCopied(summary: string, n = 1): void {
    this.#copies += n;
    this.#lastCopy = summary;
    this.#next();
  }

  #next(): void {
    if (this.#speaking) return;
    const text = this.#queue.shift() ?? this.#copied();
    if (text === null) return;
    this.#speaking = true;
    // The same words twice are said twice.
    this.said = this.said === text ? `${text}\u00a0` : text;
    this.page.after(Math.min(LONGEST, LEAST + text.length * A_CHARACTER), () => {
      this.#speaking = false;
      this.#next();
    });
  }

  #copied(): string | null {
    const n = this.#copies;
    this.#copies = 0;
    return n === 0 ? null : n === 1 ? t('Copied: {what}', { what: this.#lastCopy }) : count(n, 'new copy', 'new copies');
  }
}
