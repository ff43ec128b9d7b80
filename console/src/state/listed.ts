// A list of things as one sees it: clips, and among kept ones headings. No framework here.
import type { End } from './layout';

/** How many things at one end of a list have stayed as they were since somebody asked last. */
export class Steady {
  #count = 0;

  constructor(readonly end: End = 'last') {}

  /** The list has changed: behind so many of its first things, and before so many of its last. */
  changed(behind: number, before: number): void {
    this.keep(this.end === 'last' ? before : behind);
  }

  /** So many have stayed at most. */
  keep(count: number): void {
    if (count < this.#count) this.#count = count;
  }

  /** How many they are; from now on, of so many. */
  ask(length: number): number {
    const count = this.#count;
    this.#count = length;
    return count;
  }
}

export interface Listed {
  ids: string[];
  /** The kind of each, a letter as in the outline; `d` for a divider. */
  kinds: string[];
  /** When each was copied (seconds); 0 for a divider. */
  times: number[];
  /** Of a list that changes under one's hands. */
  steady?: Steady;
}

export const NOTHING: Listed = { ids: [], kinds: [], times: [] };

/** As it is now; it changes by `patch` alone. */
export const copyOf = ({ ids, kinds, times, steady }: Listed): Listed => ({ ids: ids.slice(), kinds: kinds.slice(), times: times.slice(), steady: new Steady(steady?.end) });

/** Where something stands, looked for from a place outwards; -1: nowhere. */
export function placeFrom(ids: readonly string[], id: string, from: number): number {
  const middle = Math.max(0, Math.min(from, ids.length - 1));
  for (let by = 0; middle - by >= 0 || middle + by < ids.length; by++) {
    if (ids[middle + by] === id) return middle + by;
    if (ids[middle - by] === id) return middle - by;
  }
  return -1;
}

/** Questions that are answered by looking through a list; for more it is learned. */
const FEW = 4;

/** Whether a list has things, which are likely to stand near a place if they do. */
export function knowing(ids: readonly string[], from = 0): (id: string) => boolean {
  let asked = 0;
  let known: Set<string> | null = null;
  return (id) => {
    if (asked++ >= FEW) known ??= new Set(ids);
    return known ? known.has(id) : placeFrom(ids, id, from) >= 0;
  };
}

/** Puts one thing where another list has it, relative to what both hold; takes it out when that one has it no longer. */
export function patch(list: Listed, truth: Listed, id: string): void {
  const from = list.ids.indexOf(id);
  if (from >= 0) {
    list.steady?.changed(from, list.ids.length - 1 - from);
    [list.ids, list.kinds, list.times].forEach((one) => one.splice(from, 1));
  }
  const there = placeFrom(truth.ids, id, from);
  if (there < 0) return;
  const has = knowing(list.ids, there);
  let next = there + 1;
  while (next < truth.ids.length && !has(truth.ids[next] ?? '')) next++;
  const to = next < truth.ids.length ? placeFrom(list.ids, truth.ids[next] ?? '', there) : list.ids.length;
  list.steady?.changed(to, list.ids.length - to);
  list.ids.splice(to, 0, id);
  list.kinds.splice(to, 0, truth.kinds[there] ?? 't');
  list.times.splice(to, 0, truth.times[there] ?? 0);
}

/** What takes the place of something that leaves: the next that both lists hold, or the one before. */
export function neighbourIn(before: readonly string[], now: readonly string[], id: string): string | null {
  const at = before.indexOf(id);
  if (at < 0) return null;
  const looked = 1_000;
  const has = knowing(now, at);
  const below = before.slice(at + 1, at + 1 + looked).find(has);
  return below ?? before.slice(Math.max(0, at - looked), at).reverse().find(has) ?? null;
}
