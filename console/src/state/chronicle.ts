// The order of the history, kept in step with the service by its events. It is read by windows, the newest first: there may be
// a million clips. No framework here: it is tested by feeding it.
import type { ClipEvent, GoneEvent, Outline, Row } from '../api/types';
import { Steady, type Listed } from './listed';

const ID = 26;

/** What an event did to the order. Places count from 0. */
export interface Moved {
  id: string;
  from: number | null;
  to: number | null;
}

/** A clip that has come, with its place as of when it came. */
interface Coming {
  to: number;
  id: string;
  kind: string;
  time: number;
}

/** So few that come together are each put in their place; no more of them wait than `MANY`. */
const FEW = 8;
const MANY = 4_096;

export class Chronicle {
  ids: string[] = [];
  kinds: string[] = [];
  times: number[] = [];
  steady = new Steady();
  #watching: Steady[] = [];
  revision = 0;
  /** How many clips there are, read or not. */
  total = 0;
  /** Where what has not been read begins; `null`: all of it has been read. */
  next: string | null = null;
  /** Which run of the service tells of it. */
  #epoch = '';
  /** What has come and gone while a window was on its way. */
  #meanwhile: { id: string; revision: number; unread: boolean }[] = [];
  /** What has come together and is not in its place yet, each with the place that it has behind those before it. */
  #coming: Coming[] | null = null;

  /** The newest window: what was known before is let go of. */
  load(outline: Outline): void {
    ({ ids: this.ids, kinds: this.kinds, times: this.times } = unfolded(outline));
    this.steady = new Steady();
    this.#changed(0, 0);
    this.revision = outline.revision;
    this.total = outline.total;
    this.next = outline.next ?? null;
    this.#epoch = outline.epoch;
    this.#meanwhile = [];
  }

  /** Another one that is told what stays as it is. */
  watch(): Steady {
    const one = new Steady();
    this.#watching.push(one);
    return one;
  }

  #changed(behind: number, before: number): void {
    for (const one of [this.steady, ...this.#watching]) one.changed(behind, before);
  }

  /** A window is about to be asked for. */
  asking(): void {
    this.#meanwhile = [];
  }

  /**
   * Puts the next window behind what has been read; gives what was put there. Its events must have come already. `'again'`: what
   * has happened meanwhile makes it another one. `'gap'`: something was missed, load anew.
   */
  append(read: Outline): Listed | 'again' | 'gap' {
    if (read.epoch !== this.#epoch) return 'gap';
    if (read.revision > this.revision) return 'again';
    const since = this.#meanwhile.filter((one) => one.revision > read.revision);
    if (since.some((one) => one.unread)) return 'again';
    const elsewhere = new Set(since.map((one) => one.id));
    const all = unfolded(read);
    const part: Listed = { ids: [], kinds: [], times: [] };
    all.ids.forEach((id, n) => {
      if (!elsewhere.has(id)) put(part, id, all.kinds[n] ?? 't', all.times[n] ?? 0);
    });
    this.#changed(this.ids.length, 0);
    part.ids.forEach((id, n) => put(this, id, part.kinds[n] ?? 't', part.times[n] ?? 0));
    this.next = read.next ?? null;
    return this.next === null && this.ids.length !== this.total ? 'gap' : part;
  }

  /** Whatever is told meanwhile is one change: however many come, what is behind them moves once. The order is known afterwards. */
  together(work: () => void): void {
    this.#coming = [];
    try {
      work();
    } finally {
      this.#settle();
      this.#coming = null;
    }
  }

  /** A clip is new or has moved. `null`: already known. `'gap'`: something was missed, load anew. */
  arrive(event: ClipEvent): Moved | null | 'gap' {
    const known = this.#follow(event.revision);
    if (known !== true) return known;
    const from = event.before === undefined || event.before === null ? null : event.before - 1;
    if (from !== null && !this.#takeOut(from, event.row.id)) return 'gap';
    const to = event.row.place - 1;
    this.total++;
    const read = this.ids.length + (this.#coming?.length ?? 0);
    // Right at the end of what has been read it may belong to either part.
    if (to < 0 || to >= this.total || (to === read && this.next !== null)) return 'gap';
    this.#note(event.row.id, to > read);
    if (to > read) return { id: event.row.id, from, to };
    const one = { to, id: event.row.id, kind: kindLetter(event.row), time: Math.floor(event.row.copied_at / 1e6) };
    if (this.#coming) {
      this.#coming.push(one);
      if (this.#coming.length >= MANY) this.#settle();
    } else this.#put(one);
    return { id: event.row.id, from, to };
  }

  #put({ to, id, kind, time }: Coming): void {
    this.#changed(to, this.ids.length - to);
    this.ids.splice(to, 0, id);
    this.kinds.splice(to, 0, kind);
    this.times.splice(to, 0, time);
  }

  /** What has come goes to its place. */
  #settle(): void {
    const coming = this.#coming ?? [];
    if (coming.length === 0) return;
    this.#coming = [];
    if (coming.length <= FEW) {
      coming.forEach((one) => this.#put(one));
      return;
    }
    // From the last back: each takes that of the places still free which it was told. Those that are taken, and by whom, in order.
    const taken: number[] = [];
    const by: Coming[] = [];
    for (const one of coming.toReversed()) {
      let [low, high] = [0, taken.length];
      while (low < high) {
        const middle = (low + high) >> 1;
        if ((taken[middle] ?? 0) - middle <= one.to) low = middle + 1;
        else high = middle;
      }
      taken.splice(low, 0, one.to + low);
      by.splice(low, 0, one);
    }
    this.#changed(taken[0] ?? 0, this.ids.length + by.length - 1 - (taken.at(-1) ?? 0));
    weave(this.ids, taken, by.map((one) => one.id));
    weave(this.kinds, taken, by.map((one) => one.kind));
    weave(this.times, taken, by.map((one) => one.time));
  }

  /** A clip has left. */
  leave(event: GoneEvent): Moved | null | 'gap' {
    const known = this.#follow(event.revision);
    if (known !== true) return known;
    if (!this.#takeOut(event.before - 1, event.id)) return 'gap';
    this.#note(event.id, false);
    return { id: event.id, from: event.before - 1, to: null };
  }

  #note(id: string, unread: boolean): void {
    if (this.next !== null) this.#meanwhile.push({ id, revision: this.revision, unread });
  }

  #follow(revision: number): true | null | 'gap' {
    if (revision <= this.revision) return null;
    if (revision !== this.revision + 1) return 'gap';
    this.revision = revision;
    return true;
  }

  #takeOut(place: number, id: string): boolean {
    if (place >= this.total) return false;
    this.total--;
    this.#settle();
    // Of what has not been read nothing is to be taken out.
    if (this.next !== null && place >= this.ids.length) return true;
    if (this.ids[place] !== id) return false;
    this.#changed(place, this.ids.length - 1 - place);
    this.ids.splice(place, 1);
    this.kinds.splice(place, 1);
    this.times.splice(place, 1);
    return true;
  }
}

/** Puts things into a list, each at the place, from the first to the last, where it is in the end. What is above all of them stays. */
function weave<T>(list: T[], places: readonly number[], things: readonly T[]): void {
  let from = list.length - 1;
  things.forEach((one) => list.push(one));
  let to = list.length - 1;
  for (let n = places.length - 1; n >= 0; n--) {
    const place = places[n] ?? 0;
    while (to > place) list[to--] = list[from--] as T;
    list[to--] = things[n] as T;
  }
}

function put(list: Listed, id: string, kind: string, time: number): void {
  list.ids.push(id);
  list.kinds.push(kind);
  list.times.push(time);
}

function unfolded(outline: Outline): Listed {
  const ids = Array.from({ length: outline.kinds.length }, (_, n) => outline.ids.slice(n * ID, (n + 1) * ID));
  let at = 0;
  const times = outline.times.map((step, n) => (at = n === 0 ? step : at - step));
  return { ids, kinds: [...outline.kinds], times };
}

const PICTURE_FILE = /\.(png|jpe?g|gif|webp|bmp|tiff?|svg)$/i;

export function kindLetter(row: Row): string {
  if (row.kind === 'files') return PICTURE_FILE.test(row.files?.[0] ?? '') ? 'p' : 'f';
  return row.kind.charAt(0);
}
