// The picker without a screen: what a press does, and what is to be asked of the service. It is the one of
// `crates/core/src/picker/machine.rs`, where each rule is told; sequences that are made there are replayed here, and the
// two are compared state by state.
import type { Ask, View, Wanted, Wish } from './asks';
import { Tidying } from './tidying';

const FIRST = 60;
const AHEAD = 30;
export const MOST = 500;
const LONGEST = 1_000;
const FAR = 2 ** 62;

type About = 'moving' | 'listed' | 'search' | 'seen' | 'leaving' | 'other';

const ABOUT: Record<Ask['ask'], About> = {
  move: 'moving',
  page: 'moving',
  first: 'moving',
  last: 'moving',
  take: 'listed',
  'take-otherwise': 'listed',
  'take-plain': 'listed',
  'take-row': 'listed',
  tidy: 'listed',
  edit: 'listed',
  pin: 'listed',
  gather: 'listed',
  remove: 'listed',
  clear: 'listed',
  whole: 'listed',
  type: 'search',
  write: 'search',
  'erase-letter': 'search',
  'erase-word': 'search',
  'erase-all': 'search',
  favorites: 'search',
  see: 'search',
  'take-clip': 'seen',
  'mark-clip': 'seen',
  scroll: 'seen',
  leave: 'leaving',
  close: 'leaving',
  'hand-out': 'other',
  undo: 'other',
  pause: 'other',
  stay: 'other',
};

const NEXT: Record<View, View> = { history: 'favorites', favorites: 'drawers', drawers: 'history' };

const without = (text: string): string[] => [...text].filter((letter) => !/\p{Cc}/u.test(letter));

export class Picker {
  query = '';
  view: View = 'history';
  ids: string[] = [];
  mark = 0;
  more = false;
  whole: string | null = null;
  tidying: Tidying | null = null;
  stays = false;
  swapped = false;
  top = 0;
  page = 10;
  asked = 0;
  shown = 0;
  rows = FIRST;
  begins = false;
  later: Ask[] = [];

  /** The picker as it opens, and its first question. */
  static open(swapped: boolean): [Picker, Wish] {
    const picker = new Picker();
    picker.swapped = swapped;
    const first = picker.#list();
    picker.begins = true;
    return [picker, first];
  }

  get isSettled(): boolean {
    return this.asked === this.shown;
  }

  get marked(): string | undefined {
    return this.ids[this.mark];
  }

  get #wanted(): string {
    return this.query.replace(/^\p{White_Space}+|\p{White_Space}+$/gu, '');
  }

  #list(): Wish {
    this.asked++;
    const wanted: Wanted = { number: this.asked, view: this.view, query: this.#wanted, rows: this.rows };
    return { do: 'list', with: wanted };
  }

  #anew(): Wish[] {
    this.rows = FIRST;
    this.whole = null;
    this.tidying = null;
    this.later = [];
    this.begins = true;
    return [this.#list()];
  }

  ask(ask: Ask): Wish[] {
    if (this.tidying) {
      const [done, goesOn] = this.tidying.ask(ask, this.swapped, this.stays, this.page);
      if (!goesOn) this.tidying = null;
      return done;
    }
    if (this.begins && this.#waits(ask)) {
      if (this.later.length < LONGEST) this.later = [...this.later, ask];
      return [];
    }
    switch (ask.ask) {
      case 'type':
        return this.#type(ask.with);
      case 'write':
        return this.#write(ask.with);
      case 'erase-letter':
        return this.#shorten([...this.query].slice(0, -1).join(''));
      case 'erase-word': {
        const rest = this.query.replace(/\p{White_Space}+$/u, '');
        return this.#shorten(rest.replace(/[^\p{White_Space}]*$/u, ''));
      }
      case 'erase-all':
        return this.#shorten('');
      case 'move':
        return this.#step(ask.with);
      case 'page':
        return this.#step(ask.with * (Math.max(this.page, 2) - 1));
      case 'first':
        return this.#step(-FAR);
      case 'last':
        return this.#step(FAR);
      case 'take':
        return this.#take(this.marked, !this.swapped, false);
      case 'take-otherwise':
        return this.#take(this.marked, this.swapped, false);
      case 'take-plain':
        return this.#take(this.marked, !this.swapped, true);
      case 'take-row':
        return ask.with === 0 || ask.with > this.page ? [] : this.#take(this.ids[this.top + ask.with - 1], !this.swapped, false);
      case 'take-clip':
        return this.#take(this.ids.find((id) => id === ask.with), !this.swapped, false);
      case 'mark-clip':
        return this.#markClip(ask.with);
      case 'scroll':
        return this.#scroll(ask.with);
      case 'tidy':
        this.tidying = this.marked !== undefined ? new Tidying(this.marked) : null;
        return this.tidying ? [this.tidying.preview()] : [];
      case 'edit':
      case 'pin':
      case 'gather':
      case 'remove':
        return this.marked !== undefined ? [{ do: ask.ask, with: this.marked }] : [];
      case 'hand-out':
        return [{ do: 'hand-out', with: { paste: !this.swapped, close: !this.stays } }];
      case 'clear':
        return this.view === 'history' ? [{ do: 'clear', with: { query: this.#wanted } }] : [];
      case 'pause':
        return [{ do: 'pause' }];
      case 'undo':
        return [{ do: 'undo' }];
      case 'favorites':
        this.view = NEXT[this.view];
        return this.#anew();
      case 'see':
        if (this.view === ask.with) return [];
        this.view = ask.with;
        return this.#anew();
      case 'whole':
        if (this.whole !== null) {
          this.whole = null;
          return [];
        }
        this.whole = this.marked ?? null;
        return this.whole === null ? [] : [{ do: 'whole', with: this.whole }];
      case 'stay':
        this.stays = !this.stays;
        return [];
      case 'leave':
        return this.#leave();
      case 'close':
        return [{ do: 'close' }];
    }
  }

  get #chosen(): boolean {
    return this.later.some((one) => ABOUT[one.ask] !== 'moving');
  }

  #waits(ask: Ask): boolean {
    switch (ABOUT[ask.ask]) {
      case 'moving':
      case 'listed':
        return true;
      case 'search':
      case 'other':
        return this.#chosen;
      default:
        return false;
    }
  }

  #type(typed: string): Wish[] {
    const letters = without(typed);
    if (letters.length === 0 || [...this.query].length + letters.length > LONGEST) return [];
    this.query += letters.join('');
    return this.#anew();
  }

  #write(written: string): Wish[] {
    const text = without(written).slice(0, LONGEST).join('');
    if (text === this.query) return [];
    this.query = text;
    return this.#anew();
  }

  #shorten(to: string): Wish[] {
    if (to.length >= this.query.length) return [];
    this.query = to;
    return this.#anew();
  }

  #leave(): Wish[] {
    if (this.#chosen) {
      this.later = [];
      return [];
    }
    if (this.whole !== null) {
      this.whole = null;
      return [];
    }
    if (this.query !== '') return this.#shorten('');
    if (this.view !== 'history') return this.ask({ ask: 'see', with: 'history' });
    return [{ do: 'close' }];
  }

  #step(by: number): Wish[] {
    const last = Math.max(0, this.ids.length - 1);
    this.mark = Math.min(last, Math.max(0, this.mark + by));
    this.whole = null;
    this.#showMark();
    const wantsMore = this.more && this.rows < MOST && this.mark + AHEAD >= this.ids.length;
    if (!wantsMore || !this.isSettled) return [];
    this.rows = Math.min(this.rows * 2, MOST);
    return [this.#list()];
  }

  #showMark(): void {
    const page = Math.max(1, this.page);
    if (this.mark < this.top) this.top = this.mark;
    else if (this.mark >= this.top + page) this.top = this.mark + 1 - page;
  }

  #markClip(id: string): Wish[] {
    const at = this.begins ? -1 : this.ids.indexOf(id);
    if (at >= 0) {
      this.mark = at;
      this.whole = null;
      this.#showMark();
    }
    return [];
  }

  #scroll(top: number): Wish[] {
    if (this.begins) return [];
    const page = Math.max(1, this.page);
    this.top = Math.min(top, Math.max(0, this.ids.length - page));
    const wanted = Math.min(Math.max(this.mark, this.top), this.top + page - 1);
    return wanted === this.mark ? [] : this.#step(wanted - this.mark);
  }

  /** The screen shows so many rows. */
  resize(page: number): void {
    this.page = Math.max(1, page);
    this.#showMark();
  }

  #take(id: string | undefined, paste: boolean, plain: boolean): Wish[] {
    return id === undefined ? [] : [{ do: 'take', with: { id, paste, plain, tidy: [], close: !this.stays } }];
  }

  /** What was listed for a question. */
  listed(number: number, ids: string[], more: boolean): Wish[] {
    if (number !== this.asked) return [];
    const goesOn = this.rows > FIRST && this.ids.every((id, at) => ids[at] === id);
    const marked = this.rows > FIRST ? this.marked : undefined;
    this.shown = number;
    this.ids = ids;
    this.more = more;
    if (!goesOn) {
      this.mark = Math.max(0, marked === undefined ? 0 : ids.indexOf(marked));
      this.top = 0;
      this.#showMark();
    }
    this.begins = false;
    const done: Wish[] = [];
    const { later } = this;
    this.later = [];
    for (const [at, ask] of later.entries()) {
      done.push(...this.ask(ask));
      if (this.begins) {
        this.later = [...this.later, ...later.slice(at + 1)];
        return done;
      }
      const last = done.at(-1);
      if (last?.do === 'close' || ((last?.do === 'take' || last?.do === 'hand-out') && last.with.close)) return done;
    }
    return done;
  }

  /** A question could not be answered. */
  failed(number: number): void {
    if (number !== this.asked) return;
    this.shown = number;
    this.begins = false;
    this.later = [];
  }

  /** A clip is listed no longer: its neighbour is marked. */
  gone(id: string): void {
    if (this.tidying?.id === id) this.tidying = null;
    const at = this.ids.indexOf(id);
    if (at < 0) return;
    this.ids = this.ids.toSpliced(at, 1);
    if (at < this.mark) this.mark--;
    this.mark = Math.min(this.mark, Math.max(0, this.ids.length - 1));
    this.whole = null;
    this.#showMark();
  }

  /** What is to be listed now, once an act of this picker has changed what there is. */
  changed(): Wish {
    return this.#list();
  }
}
