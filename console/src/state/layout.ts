// Where everything in the stream lies, computed for the whole history at once, so that a list of any length scrolls
// without measuring. Heights are pixels where a rem has 16; `unit` is how many there are to one of those. Places count
// from 0 here.

export const HEADING = 46;
export const ROW = 54;
export const PICTURE_ROW = 130;
export const DIVIDER_ROW = 44;
/** Room above a list without headings. */
export const UPPER = 8;
/** The pause that ends a sitting: 20 minutes, in seconds. */
export const PAUSE = 20 * 60;

export interface Heading {
  /** The place of the sitting's newest clip. */
  first: number;
  count: number;
  /** Seconds since the epoch. */
  start: number;
  end: number;
  top: number;
}

export interface Layout {
  tops: Int32Array;
  headings: Heading[];
  height: number;
}

/** How tall rows are. */
export interface Sizes {
  row: number;
  picture: number;
}

const USUAL: Sizes = { row: ROW, picture: PICTURE_ROW };

/** A row of this kind shows a picture. */
export const isPicture = (kind: string): boolean => kind === 'i' || kind === 'p';

export function rowHeight(kind: string, sizes = USUAL): number {
  if (kind === 'd') return DIVIDER_ROW;
  return isPicture(kind) ? sizes.picture : sizes.row;
}

/** Lays rows of these kinds and times (seconds, newest or oldest first) out, a heading before each sitting. */
export function layOut(kinds: ArrayLike<string>, times: ArrayLike<number>, unit = 1, sizes = USUAL): Layout {
  const count = kinds.length;
  const tops = new Int32Array(count);
  const headings: Heading[] = [];
  let top = 0;
  let open: Heading | undefined;
  const [heading, row, picture] = [HEADING, sizes.row, sizes.picture].map((one) => Math.round(one * unit)) as [number, number, number];
  const ascending = (times[0] ?? 0) < (times[count - 1] ?? 0);
  for (let n = 0; n < count; n++) {
    const at = times[n] ?? 0;
    if (!open || Math.abs((ascending ? open.end : open.start) - at) > PAUSE) {
      open = { first: n, count: 0, start: at, end: at, top };
      headings.push(open);
      top += heading;
    }
    open.count++;
    if (ascending) open.end = at;
    else open.start = at;
    tops[n] = top;
    top += isPicture(kinds[n] ?? 't') ? picture : row;
  }
  return { tops, headings, height: top };
}

/** Lays rows out without headings. */
export function layOutFlat(kinds: ArrayLike<string>, unit = 1, sizes = USUAL): Layout {
  const tops = new Int32Array(kinds.length);
  let top = Math.round(UPPER * unit);
  for (let n = 0; n < kinds.length; n++) {
    tops[n] = top;
    top += Math.round(rowHeight(kinds[n] ?? 't', sizes) * unit);
  }
  return { tops, headings: [], height: top };
}

/** The first place whose row ends below `y`. */
export function placeAt(tops: Int32Array, y: number): number {
  let low = 0;
  let high = tops.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    const next = middle + 1 < tops.length ? (tops[middle + 1] ?? 0) : Infinity;
    if (next <= y) low = middle + 1;
    else high = middle;
  }
  return Math.min(low, Math.max(0, tops.length - 1));
}

/** Headings that lie between two heights. */
export function headingsBetween(headings: Heading[], from: number, to: number, unit = 1): Heading[] {
  let low = 0;
  let high = headings.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((headings[middle]?.top ?? 0) + HEADING * unit <= from) low = middle + 1;
    else high = middle;
  }
  const out: Heading[] = [];
  for (let n = low; n < headings.length; n++) {
    const heading = headings[n];
    if (!heading || heading.top >= to) break;
    out.push(heading);
  }
  return out;
}
