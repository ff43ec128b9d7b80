// A list of things as one sees it: clips, and among kept ones headings. No framework here.

export interface Listed {
  ids: string[];
  /** The kind of each, a letter as in the outline; `d` for a divider. */
  kinds: string[];
  /** When each was copied (seconds); 0 for a divider. */
  times: number[];
}

export const NOTHING: Listed = { ids: [], kinds: [], times: [] };

export const copyOf = ({ ids, kinds, times }: Listed): Listed => ({ ids: ids.slice(), kinds: kinds.slice(), times: times.slice() });

/** Puts one thing where another list has it, relative to what both hold; takes it out when that one has it no longer. */
export function patch(list: Listed, truth: Listed, id: string): void {
  const from = list.ids.indexOf(id);
  if (from >= 0) [list.ids, list.kinds, list.times].forEach((one) => one.splice(from, 1));
  const there = truth.ids.indexOf(id);
  if (there < 0) return;
  let to = list.ids.length;
  for (let at = there + 1; at < truth.ids.length; at++) {
    const found = list.ids.indexOf(truth.ids[at] ?? '');
    if (found < 0) continue;
    to = found;
    break;
  }
  list.ids.splice(to, 0, id);
  list.kinds.splice(to, 0, truth.kinds[there] ?? 't');
  list.times.splice(to, 0, truth.times[there] ?? 0);
}

/** What takes the place of something that leaves: the next that both lists hold, or the one before. */
export function neighbourIn(list: Listed, truth: Listed, id: string): string | null {
  const at = list.ids.indexOf(id);
  if (at < 0) return null;
  const looked = 1_000;
  const has = (one: string | undefined): one is string => one !== undefined && truth.ids.includes(one);
  const below = list.ids.slice(at + 1, at + 1 + looked).find(has);
  return below ?? list.ids.slice(Math.max(0, at - looked), at).reverse().find(has) ?? null;
}
