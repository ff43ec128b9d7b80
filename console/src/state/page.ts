// What the state needs of the browser. The real one is in `border/`; tests have their own.

export interface Page {
  /** The fragment of the address, with its `#`. */
  readonly fragment: string;
  /** Goes to a fragment, as following a link would. */
  go(fragment: string): void;
  /** Takes the fragment away, and out of the browser's history. */
  hideFragment(): void;
  /** What is kept under a name, bound to this origin. */
  kept(name: string): string | null;
  keep(name: string, value: string | null): void;
  /** Does something after some milliseconds, unless it is called off. */
  after(ms: number, work: () => void): () => void;
  /** Does something with the next picture, or soon when nothing is drawn. */
  withNextFrame(work: () => void): void;
  /** Gives the focus to what has this id. */
  focus(id: string): void;
  /** Milliseconds since the epoch. */
  now(): number;
}
