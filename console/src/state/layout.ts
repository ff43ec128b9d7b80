// Where everything in the stream lies, computed for the whole history at once, so that a list of any length scrolls
// without measuring; what changes near its top is laid out alone. Heights are pixels where a rem has 16; `unit` is how many
// there are to one of those. Places count from 0 here.

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

/** A heading with its rows, counted from the last row of the list: what is there does not change when something comes above it. */
interface Sitting {
  last: number;
  first: number;
  /** When its last row, and its first, were copied. */
  from: number;
  to: number;
  /** From the end of the list to the upper edge of the heading. */
  up: number;
}

const grown = (up: Int32Array, length: number): Int32Array => {
  if (up.length >= length) return up;
  const more = new Int32Array(length + (length >> 3) + 64);
  more.set(up);
  return more;
};

/** Where rows and headings lie. It stands for the list as it was when it was laid out. */
export class Layout {
  /** From the end of the list to the upper edge of each row, the last one first. */
  #up: Int32Array;
  #sittings: Sitting[];

  private constructor(
    readonly length: number,
    readonly height: number,
    up: Int32Array,
    sittings: Sitting[],
  ) {
    [this.#up, this.#sittings] = [up, sittings];
  }

  /**
   * Lays rows of these kinds and times (seconds, newest or oldest first) out, a heading before each sitting. The last `same` of
   * them lie as in `before`, which is used up.
   */
  static ofSittings(kinds: ArrayLike<string>, times: ArrayLike<number>, unit = 1, sizes = USUAL, before?: Layout, same = 0): Layout {
    const length = kinds.length;
    const last = length - 1;
    const up = grown(before ? before.#up : new Int32Array(0), length);
    const sittings = before ? before.#sittings : [];
    const [heading, row, picture] = [HEADING, sizes.row, sizes.picture].map((one) => Math.round(one * unit)) as [number, number, number];
    let n = before ? Math.min(same, before.length, length) : 0;
    while (sittings.length > 0 && (sittings.at(-1)?.last ?? 0) >= n) sittings.pop();
    let open = sittings.at(-1);
    if (open) [open.first, open.to] = [n - 1, times[last - n + 1] ?? 0];
    let above = n > 0 ? (up[n - 1] ?? 0) : 0;
    for (; n < length; n++) {
      const at = times[last - n] ?? 0;
      if (!open || Math.abs(open.to - at) > PAUSE) {
        if (open) open.up = above += heading;
        open = { last: n, first: n, from: at, to: at, up: 0 };
        sittings.push(open);
      }
      [open.first, open.to] = [n, at];
      above += isPicture(kinds[last - n] ?? 't') ? picture : row;
      up[n] = above;
    }
    if (open) open.up = above += heading;
    return new Layout(length, above, up, sittings);
  }

  /** Lays rows out without headings. */
  static flat(kinds: ArrayLike<string>, unit = 1, sizes = USUAL): Layout {
    const length = kinds.length;
    const up = new Int32Array(length);
    let above = 0;
    for (let n = 0; n < length; n++) up[n] = above += Math.round(rowHeight(kinds[length - 1 - n] ?? 't', sizes) * unit);
    return new Layout(length, above + Math.round(UPPER * unit), up, []);
  }

  /** Another one that says the same: this one may be used up. */
  copy(): Layout {
    return new Layout(this.length, this.height, this.#up.slice(), this.#sittings.map((one) => ({ ...one })));
  }

  /** The upper edge of a row; 0 where there is none. */
  top(at: number): number {
    return at >= 0 && at < this.length ? this.height - (this.#up[this.length - 1 - at] ?? 0) : 0;
  }

  /** The first place whose row ends below `y`. */
  placeAt(y: number): number {
    let low = 0;
    let high = this.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      const next = middle + 1 < this.length ? this.top(middle + 1) : Infinity;
      if (next <= y) low = middle + 1;
      else high = middle;
    }
    return Math.min(low, Math.max(0, this.length - 1));
  }

  /** How many headings there are. */
  get headings(): number {
    return this.#sittings.length;
  }

  /** The heading with this number, from the top. */
  #heading(number: number): Heading | null {
    const one = this.#sittings[this.#sittings.length - 1 - number];
    if (!one) return null;
    const [start, end] = one.from < one.to ? [one.from, one.to] : [one.to, one.from];
    return { first: this.length - 1 - one.first, count: one.first - one.last + 1, start, end, top: this.height - one.up };
  }

  /** The number of the first heading for which this is so, when it is so for all that follow. */
  #firstHeading(isSo: (heading: Heading) => boolean): number {
    let low = 0;
    let high = this.#sittings.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      const heading = this.#heading(middle);
      if (heading && isSo(heading)) high = middle;
      else low = middle + 1;
    }
    return low;
  }

  /** Headings that lie between two heights. */
  headingsBetween(from: number, to: number, unit = 1): Heading[] {
    const out: Heading[] = [];
    for (let n = this.#firstHeading((one) => one.top + HEADING * unit > from); ; n++) {
      const heading = this.#heading(n);
      if (!heading || heading.top >= to) return out;
      out.push(heading);
    }
  }

  /** A row that stands right below a heading. */
  isBelowHeading(at: number): boolean {
    return this.#heading(this.#firstHeading((one) => one.first >= at))?.first === at;
  }
}
