// The keys of the console: one table. Handlers look a press up in it, buttons show its keys, the help page lists it.

/** Where a key holds: on every page outside of fields, or in one kind of thing. */
export type Where = 'page' | 'history' | 'kept' | 'drawers' | 'search' | 'picker' | 'editor' | 'form' | 'chart';

/** One way to press it. Letters are given in lower case; what is not said of Shift may be either for them. */
interface Stroke {
  key: string;
  ctrl?: boolean;
  alt?: boolean;
  shift?: boolean;
}

interface Key {
  where: readonly Where[];
  strokes: readonly Stroke[];
  /** As it stands on a button and on the help page. */
  shown: string;
  /** What it does, on the help page; empty where another line tells it. */
  does: string;
  /** Only right after this command. */
  after?: string;
}

const LIST = ['history', 'kept'] as const;
const DIGITS = ['1', '2', '3', '4', '5', '6', '7', '8', '9'].map((key) => ({ key }));

export const KEYS = {
  toSearch: { where: ['page'], strokes: [{ key: '/' }], shown: '/', does: 'Search; ↑ ↓ choose, Enter takes, Tab completes' },
  next: { where: [...LIST, 'search', 'picker'], strokes: [{ key: 'ArrowDown', shift: false }], shown: '↑ ↓', does: 'Choose' },
  previous: { where: [...LIST, 'search', 'picker'], strokes: [{ key: 'ArrowUp', shift: false }], shown: '↑', does: '' },
  pageDown: { where: ['history'], strokes: [{ key: 'PageDown', shift: false }], shown: 'Page ↓', does: '' },
  pageUp: { where: ['history'], strokes: [{ key: 'PageUp', shift: false }], shown: 'Page ↑', does: '' },
  first: { where: ['history'], strokes: [{ key: 'Home', shift: false }], shown: 'Home', does: '' },
  last: { where: ['history'], strokes: [{ key: 'End', shift: false }], shown: 'End', does: '' },
  unfold: { where: LIST, strokes: [{ key: ' ' }], shown: 'Space', does: 'Unfold' },
  take: { where: [...LIST, 'search'], strokes: [{ key: 'Enter', shift: false }], shown: 'Enter', does: 'Take' },
  takePlain: { where: LIST, strokes: [{ key: 't' }], shown: 'T', does: 'Take as plain text' },
  takeFoundPlain: { where: ['search'], strokes: [{ key: 'Enter', shift: true }], shown: 'Shift Enter', does: '' },
  pin: { where: LIST, strokes: [{ key: 'p' }], shown: 'P', does: 'Pin, or unpin' },
  drawer: { where: LIST, strokes: [{ key: 'd' }], shown: 'D', does: 'Put into a drawer' },
  edit: { where: LIST, strokes: [{ key: 'e' }], shown: 'E', does: 'Edit' },
  title: { where: LIST, strokes: [{ key: 'n' }], shown: 'N', does: 'Title' },
  color: { where: LIST, strokes: [{ key: 'c' }], shown: 'C', does: 'Color' },
  bringUp: { where: ['history'], strokes: [{ key: 'b' }], shown: 'B', does: 'Bring to the top' },
  choose: { where: ['history'], strokes: [{ key: 'x' }], shown: 'X', does: 'Choose several; Shift ↑ ↓ for a range' },
  chooseDown: { where: ['history'], strokes: [{ key: 'ArrowDown', shift: true }], shown: 'Shift ↓', does: '' },
  chooseUp: { where: ['history'], strokes: [{ key: 'ArrowUp', shift: true }], shown: 'Shift ↑', does: '' },
  choosePageDown: { where: ['history'], strokes: [{ key: 'PageDown', shift: true }], shown: 'Shift Page ↓', does: '' },
  choosePageUp: { where: ['history'], strokes: [{ key: 'PageUp', shift: true }], shown: 'Shift Page ↑', does: '' },
  chooseToFirst: { where: ['history'], strokes: [{ key: 'Home', shift: true }], shown: 'Shift Home', does: '' },
  chooseToLast: { where: ['history'], strokes: [{ key: 'End', shift: true }], shown: 'Shift End', does: '' },
  moveDown: { where: ['kept', 'drawers'], strokes: [{ key: 'ArrowDown', alt: true }], shown: 'Alt ↑ ↓', does: 'Move a favorite, a clip in a drawer, a drawer' },
  moveUp: { where: ['kept', 'drawers'], strokes: [{ key: 'ArrowUp', alt: true }], shown: 'Alt ↑', does: '' },
  remove: { where: LIST, strokes: [{ key: 'Delete' }], shown: 'Del', does: 'Remove' },
  undo: { where: ['page'], strokes: [{ key: 'u', shift: false }, { key: 'z', ctrl: true, shift: false }], shown: 'U', does: 'Undo; Shift U makes it again' },
  redo: { where: ['page'], strokes: [{ key: 'u', shift: true }, { key: 'z', ctrl: true, shift: true }], shown: 'Shift U', does: '' },
  go: { where: ['page'], strokes: [{ key: 'g' }], shown: 'G then H F I', does: 'Go to history, favorites, insight' },
  goHistory: { where: ['page'], strokes: [{ key: 'h' }], shown: 'G H', does: '', after: 'go' },
  goFavorites: { where: ['page'], strokes: [{ key: 'f' }], shown: 'G F', does: '', after: 'go' },
  goInsight: { where: ['page'], strokes: [{ key: 'i' }], shown: 'G I', does: '', after: 'go' },
  favorite: { where: ['page'], strokes: DIGITS, shown: '1 … 9', does: 'Take the favorite f1 … f9' },
  help: { where: ['page'], strokes: [{ key: '?' }], shown: '?', does: 'This page' },
  complete: { where: ['search'], strokes: [{ key: 'Tab', shift: false }], shown: 'Tab', does: '' },
  confirm: { where: ['picker', 'form', 'chart'], strokes: [{ key: 'Enter' }], shown: 'Enter', does: '' },
  nextBar: { where: ['chart'], strokes: [{ key: 'ArrowRight' }], shown: '→', does: '' },
  previousBar: { where: ['chart'], strokes: [{ key: 'ArrowLeft' }], shown: '←', does: '' },
  save: { where: ['editor'], strokes: [{ key: 'Enter', ctrl: true }], shown: 'Ctrl Enter', does: 'Save what was changed' },
  leave: { where: [...LIST, 'search', 'picker', 'editor', 'form'], strokes: [{ key: 'Escape' }], shown: 'Esc', does: 'Fold, let go, leave' },
} as const satisfies Record<string, Key>;

export type Command = keyof typeof KEYS;

/** A press, as far as it matters here: a KeyboardEvent is one. */
export interface Press {
  key: string;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
  shiftKey: boolean;
  /** Milliseconds, on any clock. */
  timeStamp: number;
}

/** How long the first of two strokes waits for the second, in milliseconds. */
const SECOND_STROKE = 1_500;

const isLetter = (key: string): boolean => key.length === 1 && key.toLowerCase() !== key.toUpperCase();

function fits(press: Press, stroke: Stroke): boolean {
  const key = isLetter(press.key) ? press.key.toLowerCase() : press.key;
  if (key !== stroke.key) return false;
  if ((press.ctrlKey || press.metaKey) !== (stroke.ctrl ?? false) || press.altKey !== (stroke.alt ?? false)) return false;
  return stroke.shift === undefined || press.shiftKey === stroke.shift;
}

/** Looks presses up in the table; remembers the first of two strokes. */
export class Keys {
  #first: { command: Command; at: number } | null = null;

  /** The command that a press is, where it was pressed; `null` for none. */
  command(press: Press, where: Where): Command | null {
    const first = this.#first && press.timeStamp - this.#first.at < SECOND_STROKE ? this.#first.command : null;
    for (const [name, key] of Object.entries(KEYS) as [Command, Key][]) {
      if (!key.where.includes(where) || (key.after !== undefined && key.after !== first)) continue;
      if (!key.strokes.some((stroke) => fits(press, stroke))) continue;
      if (name === 'go') this.#first = { command: name, at: press.timeStamp };
      return name;
    }
    return null;
  }
}

/** The lines of the help page. */
export const helpLines = (): [string, string][] =>
  Object.values(KEYS).flatMap(({ shown, does }): [string, string][] => (does ? [[shown, does]] : []));
