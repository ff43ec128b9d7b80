// A list may be taller than what a browser lays out (some tens of millions of pixels: a million rows are more). Then the bar that
// it is scrolled by stands for more than it is tall: small moves are what they are, a leap along the bar is one in proportion,
// and near both ends a pixel of the bar is a pixel of the list. All in pixels.

/** What is laid out at most; less than what any browser bears. */
export const TALLEST = 8_000_000;
/** So much at each end lies as it is. */
export const EXACT = 500_000;
/** A move of up to so many views is a small one. */
const SMALL = 3;

export class Reach {
  #full = 0;
  #view = 0;
  #at = 0;
  #bar = 0;

  /** How tall a list of this height is laid out. */
  static tall = (height: number): number => Math.min(height, TALLEST);

  /** Where in the list the upper edge of the view is. */
  get at(): number {
    return this.#at;
  }

  /** Where the bar is to stand. */
  get bar(): number {
    return this.#bar;
  }

  get #isScaled(): boolean {
    return this.#full > TALLEST;
  }

  /** How far the list, and its bar, can be scrolled. */
  get #ends(): [number, number] {
    return [this.#full - this.#view, TALLEST - this.#view];
  }

  /** Where the bar stands for a place in the list. */
  #barOf(at: number): number {
    const [list, bar] = this.#ends;
    if (at <= EXACT) return at;
    if (at >= list - EXACT) return bar - (list - at);
    return EXACT + ((at - EXACT) * (bar - 2 * EXACT)) / (list - 2 * EXACT);
  }

  /** The place in the list that the bar stands for there. */
  #placeOf(bar: number): number {
    const [list, most] = this.#ends;
    if (bar <= EXACT) return bar;
    if (bar >= most - EXACT) return list - (most - bar);
    return EXACT + ((bar - EXACT) * (list - 2 * EXACT)) / (most - 2 * EXACT);
  }

  /** The list is so tall, of which so much is in view. True when the bar must move for that. */
  lay(full: number, view: number): boolean {
    [this.#full, this.#view] = [full, view];
    if (this.#isScaled) return this.#settle();
    const moves = this.#bar !== this.#at;
    this.#bar = this.#at;
    return moves;
  }

  /** The bar was moved. True when it must move once more. */
  scrolled(bar: number): boolean {
    const by = bar - this.#bar;
    this.#bar = bar;
    if (!this.#isScaled) this.#at = bar;
    else if (Math.abs(by) > SMALL * this.#view) this.#at = this.#placeOf(bar);
    else this.#at += by;
    return this.#isScaled && this.#settle();
  }

  /** The list is to be seen from here. */
  go(at: number): void {
    this.#at = at;
    if (!this.#isScaled) this.#bar = at;
    else {
      this.#at = Math.max(0, Math.min(at, this.#ends[0]));
      this.#bar = Math.round(this.#barOf(this.#at));
    }
  }

  /** Small moves may lead away from where the bar stands for a place: before it comes to an end, it is put right. */
  #settle(): boolean {
    const [list] = this.#ends;
    this.#at = Math.max(0, Math.min(this.#at, list));
    const right = Math.round(this.#barOf(this.#at));
    const isExact = this.#at <= EXACT || this.#at >= list - EXACT;
    if (Math.abs(right - this.#bar) <= (isExact ? 1 : EXACT / 2)) return false;
    this.#bar = right;
    return true;
  }
}
