// What is said to the person: a line on the screen, and words for screen readers.
import { Failure } from '../api/failure';
import type { Page } from './page';
import type { Command } from './keys';

export interface Toast {
  text: string;
  hint: string | null;
  wrong: boolean;
  /** What can be done about it, and the key that does the same. */
  act: { label: string; key: Command; run: () => void } | null;
}

export class Messages {
  toast = $state.raw<Toast | null>(null);
  /** Said to screen readers. */
  said = $state('');
  #goes: () => void = () => {};

  constructor(private page: Page) {}

  tell(text: string, more: Partial<Toast> = {}): void {
    this.#goes();
    this.toast = { text, hint: null, wrong: false, act: null, ...more };
    this.say(text);
    const time = this.toast.act || this.toast.wrong ? 12_000 : 5_000;
    this.#goes = this.page.after(time, () => (this.toast = null));
  }

  fail(why: unknown): void {
    const hint = why instanceof Failure ? why.hint : null;
    const text = why instanceof Error ? why.message : String(why);
    this.tell(text.charAt(0).toUpperCase() + text.slice(1) + '.', { hint, wrong: true });
  }

  dismiss(): void {
    this.#goes();
    this.toast = null;
  }

  /** The same words twice are said twice. */
  say(text: string): void {
    this.said = this.said === text ? `${text}\u00a0` : text;
  }
}
