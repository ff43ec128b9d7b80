// Choosing how a clip is cleaned up on its way out of the picker: as `crates/core/src/picker/tidying.rs`.
import { language, t } from '../../language/language.svelte';
import { TIDY } from '../tidy';
import type { Ask, Wish } from './asks';

/** Letters of a search among the clean-ups. */
const LONGEST = 40;

export class Tidying {
  find = '';
  mark = 0;
  /** By their place among all, in the order in which they were chosen. */
  chosen: number[] = [];

  constructor(readonly id: string) {}

  /** Those that are found, by their place among all. */
  found(): number[] {
    const wanted = this.find.toLowerCase();
    return [...TIDY.keys()].filter((at) => TIDY[at]?.[0].includes(wanted) || (language() !== 'en' && t(TIDY[at]?.[1] ?? '').toLowerCase().includes(wanted)));
  }

  /** What would be done with the clip now: what is chosen, or else what is marked. */
  meant(): string[] {
    const marked = this.found()[this.mark];
    const all = this.chosen.length > 0 ? this.chosen : marked === undefined ? [] : [marked];
    return all.map((at) => TIDY[at]?.[0] ?? '');
  }

  preview(): Wish {
    return { do: 'preview', with: { id: this.id, tidy: this.meant() } };
  }

  /** What a person asks for; and whether choosing goes on. */
  ask(ask: Ask, swapped: boolean, stays: boolean, page: number): [Wish[], boolean] {
    const before = this.meant().join();
    const last = Math.max(0, this.found().length - 1);
    switch (ask.ask) {
      case 'type':
        if (ask.with === ' ') this.#toggle(this.mark);
        else this.#lookFor(this.find + ask.with);
        break;
      case 'write':
        this.#lookFor(ask.with);
        break;
      case 'erase-letter':
        this.#lookFor([...this.find].slice(0, -1).join(''));
        break;
      case 'erase-word':
      case 'erase-all':
        this.#lookFor('');
        break;
      case 'move':
        this.mark = Math.min(last, Math.max(0, this.mark + ask.with));
        break;
      case 'page':
        this.mark = ask.with < 0 ? 0 : last;
        break;
      case 'first':
        this.mark = 0;
        break;
      case 'last':
        this.mark = last;
        break;
      case 'take-row':
        if (ask.with > 0 && ask.with <= Math.max(1, page)) this.#toggle(ask.with - 1);
        break;
      case 'take':
      case 'take-plain':
        return this.#take(!swapped, stays);
      case 'take-otherwise':
        return this.#take(swapped, stays);
      case 'leave':
      case 'tidy':
        return [[], false];
      case 'close':
        return [[{ do: 'close' }], false];
    }
    return [this.meant().join() === before ? [] : [this.preview()], true];
  }

  #take(paste: boolean, stays: boolean): [Wish[], boolean] {
    const tidy = this.meant();
    if (tidy.length === 0) return [[], true];
    return [[{ do: 'take', with: { id: this.id, paste, plain: false, tidy, close: !stays } }], false];
  }

  #lookFor(wanted: string): void {
    const find = [...wanted].filter((letter) => !/\p{Cc}/u.test(letter)).slice(0, LONGEST).join('');
    if (find === this.find) return;
    this.find = find;
    this.mark = 0;
  }

  /** One that is found is chosen, or no longer. Its place among all is marked then. */
  #toggle(at: number): void {
    const step = this.found()[at];
    if (step === undefined) return;
    const place = this.chosen.indexOf(step);
    this.chosen = place >= 0 ? this.chosen.toSpliced(place, 1) : [...this.chosen, step];
    this.find = '';
    this.mark = step;
  }
}
