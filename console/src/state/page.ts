// What the state needs of the browser. The real one is in `border/`; tests have their own.

/** What another program has shared with this page. */
export interface Shared {
  text: string;
  files: Blob[];
}

export interface Page {
  /** This is a phone that was let in: what is taken goes to its own clipboard. */
  readonly onPhone: boolean;
  /** Puts something on this browser's own clipboard. */
  putHere(what: Promise<Blob>, type: string): Promise<void>;
  /** What another program of the phone has shared, once. */
  shared(): Promise<Shared | null>;
  /** The fragment of the address, with its `#`. */
  readonly fragment: string;
  /** Goes to a fragment: a step of the browser's history. */
  go(fragment: string): void;
  /** Changes the fragment without a step. */
  replace(fragment: string): void;
  /** Takes the fragment away, and out of the browser's history. */
  hideFragment(): void;
  /** What is kept under a name, bound to this origin. */
  kept(name: string): string | null;
  /** False when there is no room for it. */
  keep(name: string, value: string | null): boolean;
  /** What is kept under a name for as long as this window is open, reloads included. */
  keptHere(name: string): string | null;
  keepHere(name: string, value: string): void;
  /** Does something after some milliseconds, unless it is called off. */
  after(ms: number, work: () => void): () => void;
  /** Does something with the next picture, or soon when nothing is drawn. */
  withNextFrame(work: () => void): void;
  /** Draws what has changed and gives the focus to what has this id, at once. */
  focus(id: string): void;
  /** Two soft tones, once the person has touched the page. */
  chime(): void;
  /** Closes the window, if it was opened for the picker. */
  close(): void;
  /** Milliseconds since the epoch. */
  now(): number;
}
