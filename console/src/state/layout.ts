// Where everything in the stream lies, computed for the whole history at once, so that a list of any length scrolls
// without measuring; what changes near one end of it is laid out alone. Heights are pixels where a rem has 16; `unit` is how many
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

/** Which end of a list stays as it is when something comes to it: rows are counted, and measured, from there. */
export type End = 'first' | 'last';

/** A heading with its rows, counted from the end that stays. */
interface Sitting {
  begin: number;
  end: number;
  /** When its row that is counted first, and the one that is counted last, were copied. */
  from: number;
  to: number;
  /** From that end of the list to the upper edge of the heading. */
  edge: number;
}

const grown = (edges: Int32Array, length: number): Int32Array => {
  if (edges.length >= length) return edges;
  const more = new Int32Array(length + (length >> 3) + 64);
  more.set(edges);
  return more;
};

/** Where rows and headings lie. It stands for the list as it was when it was laid out. */
export class Layout {
  private constructor(
    readonly length: number,
    readonly height: number,
    /** From the end that stays to the upper edge of each row, in the order in which they are counted. */
    private edges: Int32Array,
    private sittings: Sitting[],
    private end: End,
  ) {}

  /**
   * Lays rows of these kinds and times (seconds, newest or oldest first) out, a heading before each sitting. The `same` that are
   * counted first lie as in `before`, which is used up.
   */
  static ofSittings(kinds: ArrayLike<string>, times: ArrayLike<number>, unit = 1, sizes = USUAL, before?: Layout, same = 0, end: End = 'last'): Layout {
    const length = kinds.length;
    const edges = grown(before ? before.edges : new Int32Array(0), length);
    const sittings = before ? before.sittings : [];
    const [heading, row, picture] = [HEADING, sizes.row, sizes.picture].map((one) => Math.round(one * unit)) as [number, number, number];
    const down = end === 'first';
    const place = (n: number) => (down ? n : length - 1 - n);
    const tall = (n: number) => (isPicture(kinds[place(n)] ?? 't') ? picture : row);
    let n = before ? Math.min(same, before.length, length) : 0;
    while (sittings.length > 0 && (sittings.at(-1)?.begin ?? 0) >= n) sittings.pop();
    let open = sittings.at(-1);
    if (open) [open.end, open.to] = [n - 1, times[place(n - 1)] ?? 0];
    /** How far from that end rows and closed headings reach. */
    let reach = n > 0 ? (edges[n - 1] ?? 0) + (down ? tall(n - 1) : 0) : 0;
    for (; n < length; n++) {
      const at = times[place(n)] ?? 0;
      if (!open || Math.abs(open.to - at) > PAUSE) {
        // Counted from below, a heading comes above the last of its rows; from above, before the first.
        if (open && !down) open.edge = reach += heading;
        open = { begin: n, end: n, from: at, to: at, edge: reach };
        if (down) reach += heading;
        sittings.push(open);
      }
      [open.end, open.to] = [n, at];
      if (down) edges[n] = reach;
      reach += tall(n);
      if (!down) edges[n] = reach;
    }
    if (open && !down) open.edge = reach += heading;
    return new Layout(length, reach, edges, sittings, end);
  }

  /** Lays rows out without headings. */
  static flat(kinds: ArrayLike<string>, unit = 1, sizes = USUAL): Layout {
    const length = kinds.length;
    const edges = new Int32Array(length);
    let reach = 0;
    for (let n = 0; n < length; n++) edges[n] = reach += Math.round(rowHeight(kinds[length - 1 - n] ?? 't', sizes) * unit);
    return new Layout(length, reach + Math.round(UPPER * unit), edges, [], 'last');
  }

  /** Another one that says the same: this one may be used up. */
  copy(): Layout {
    return new Layout(this.length, this.height, this.edges.slice(), this.sittings.map((one) => ({ ...one })), this.end);
  }

  /** The upper edge of a row; 0 where there is none. */
  top(at: number): number {
    if (at < 0 || at >= this.length) return 0;
    return this.end === 'first' ? (this.edges[at] ?? 0) : this.height - (this.edges[this.length - 1 - at] ?? 0);
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
    return this.sittings.length;
  }

  /** The heading with this number, from the top. */
  #heading(number: number): Heading | null {
    const one = this.sittings[this.end === 'first' ? number : this.sittings.length - 1 - number];
    if (!one) return null;
    const [start, end] = one.from < one.to ? [one.from, one.to] : [one.to, one.from];
    const [first, top] = this.end === 'first' ? [one.begin, one.edge] : [this.length - 1 - one.end, this.height - one.edge];
    return { first, count: one.end - one.begin + 1, start, end, top };
  }

  /** The number of the first heading for which this is so, when it is so for all that follow. */
  #firstHeading(isSo: (heading: Heading) => boolean): number {
    let low = 0;
    let high = this.sittings.length;
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
