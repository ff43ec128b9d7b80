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

type Choice = { marked: { paste: boolean; plain: boolean } } | { row: number };

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
  waiting: Choice | null = null;
  begins = false;
  moves: number[] = [];

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

  #list(): Wish {
    this.asked++;
    const wanted: Wanted = { number: this.asked, view: this.view, query: this.query.replace(/^\p{White_Space}+|\p{White_Space}+$/gu, ''), rows: this.rows };
    return { do: 'list', with: wanted };
  }

  #anew(): Wish[] {
    this.rows = FIRST;
    this.waiting = null;
    this.whole = null;
    this.tidying = null;
    this.moves = [];
    this.begins = true;
    return [this.#list()];
  }

  ask(ask: Ask): Wish[] {
    if (this.tidying) {
      const [done, goesOn] = this.tidying.ask(ask, this.swapped, this.stays, this.page);
      if (!goesOn) this.tidying = null;
      return done;
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
        return this.#choose({ marked: { paste: !this.swapped, plain: false } });
      case 'take-otherwise':
        return this.#choose({ marked: { paste: this.swapped, plain: false } });
      case 'take-plain':
        return this.#choose({ marked: { paste: !this.swapped, plain: true } });
      case 'take-row':
        return this.#choose({ row: ask.with });
      case 'mark-row':
        return this.#markRow(ask.with);
      case 'scroll':
        return this.#scroll(ask.with);
      case 'tidy':
        this.tidying = this.isSettled && this.marked !== undefined ? new Tidying(this.marked) : null;
        return this.tidying ? [this.tidying.preview()] : [];
      case 'edit':
      case 'pin':
      case 'gather':
      case 'remove':
        return this.isSettled && this.marked !== undefined ? [{ do: ask.ask, with: this.marked }] : [];
      case 'hand-out':
        return [{ do: 'hand-out', with: { paste: !this.swapped, close: !this.stays } }];
      case 'undo':
        return [{ do: 'undo' }];
      case 'favorites':
        this.view = this.view === 'history' ? 'favorites' : 'history';
        return this.#anew();
      case 'whole':
        if (this.whole !== null) {
          this.whole = null;
          return [];
        }
        this.whole = this.isSettled ? (this.marked ?? null) : null;
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
    if (this.waiting !== null) {
      this.waiting = null;
      return [];
    }
    if (this.whole !== null) {
      this.whole = null;
      return [];
    }
    if (this.query !== '') return this.#shorten('');
    if (this.view === 'favorites') return this.ask({ ask: 'favorites' });
    return [{ do: 'close' }];
  }

  #step(by: number): Wish[] {
    if (this.begins) {
      if (this.waiting === null && this.moves.length < LONGEST) this.moves.push(by);
      return [];
    }
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

  #markRow(row: number): Wish[] {
    if (this.isSettled && row > 0 && row <= this.page && this.top + row <= this.ids.length) {
      this.mark = this.top + row - 1;
      this.whole = null;
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

  #choose(choice: Choice): Wish[] {
    if (!this.isSettled) {
      this.waiting = choice;
      return [];
    }
    const by = 'row' in choice ? { row: choice.row, paste: !this.swapped, plain: false } : { row: 0, ...choice.marked };
    if ('row' in choice && (choice.row === 0 || choice.row > this.page)) return [];
    const id = 'row' in choice ? this.ids[this.top + choice.row - 1] : this.marked;
    return id === undefined ? [] : [{ do: 'take', with: { id, paste: by.paste, plain: by.plain, tidy: [], close: !this.stays } }];
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
    const moves = this.moves;
    this.moves = [];
    const done = moves.flatMap((by) => this.#step(by));
    const { waiting } = this;
    if (waiting === null || !this.isSettled) return done;
    this.waiting = null;
    return this.#choose(waiting);
  }

  /** A question could not be answered. */
  failed(number: number): void {
    if (number !== this.asked) return;
    this.shown = number;
    this.waiting = null;
    this.begins = false;
    this.moves = [];
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
