// The keys of the console: one table. Handlers look a press up in it, buttons show its keys, the help page lists it.
import type { Page } from './page';
import { msg, t } from '../language/language.svelte';

/**
 * Where a key holds: anywhere outside of fields (`page`); with the focus in a list or on a row (`list`), among kept
 * things also (`kept`); or in one kind of thing.
 */
export type Where = 'page' | 'batch' | 'list' | 'kept' | 'drawers' | 'search' | 'picker' | 'editor' | 'form' | 'chart' | 'pick' | 'pick-tidy';

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
}

const DIGITS = ['1', '2', '3', '4', '5', '6', '7', '8', '9'].map((key) => ({ key, shift: false }));

/** A letter beside what is being typed: with Alt; with Ctrl too, as far as the browser leaves it. */
const alone = (key: string): Stroke[] => [{ key, alt: true }, { key, ctrl: true, shift: false }];

export const KEYS = {
  toSearch: { where: ['page'], strokes: [{ key: '/' }], shown: '/', does: msg('Search; ↑ ↓ choose, Enter takes, Tab completes') },
  next: { where: ['list', 'search', 'picker', 'drawers', 'batch', 'pick'], strokes: [{ key: 'ArrowDown', shift: false, alt: false }], shown: '↑ ↓', does: msg('Choose') },
  previous: { where: ['list', 'search', 'picker', 'drawers', 'batch', 'pick'], strokes: [{ key: 'ArrowUp', shift: false, alt: false }], shown: '↑', does: '' },
  pageDown: { where: ['list', 'search', 'picker', 'batch', 'pick'], strokes: [{ key: 'PageDown', shift: false }], shown: 'Page ↓', does: '' },
  pageUp: { where: ['list', 'search', 'picker', 'batch', 'pick'], strokes: [{ key: 'PageUp', shift: false }], shown: 'Page ↑', does: '' },
  first: { where: ['list', 'drawers', 'batch'], strokes: [{ key: 'Home', shift: false }], shown: 'Home', does: msg('The first; End, the last') },
  last: { where: ['list', 'drawers', 'batch'], strokes: [{ key: 'End', shift: false }], shown: 'End', does: '' },
  unfold: { where: ['list'], strokes: [{ key: ' ', shift: false }], shown: 'Space', does: msg('Unfold') },
  take: { where: ['list', 'search', 'batch'], strokes: [{ key: 'Enter', shift: false }], shown: 'Enter', does: msg('Take') },
  takePlain: { where: ['list', 'search'], strokes: [{ key: 'Enter', shift: true }], shown: 'Shift Enter', does: msg('Take as plain text') },
  pin: { where: ['list'], strokes: [{ key: 'p' }], shown: 'P', does: msg('Pin, or unpin') },
  drawer: { where: ['list'], strokes: [{ key: 'd' }], shown: 'D', does: msg('Put into a drawer') },
  edit: { where: ['list'], strokes: [{ key: 'e' }], shown: 'E', does: msg('Edit') },
  title: { where: ['list'], strokes: [{ key: 't' }], shown: 'T', does: msg('Title') },
  tidy: { where: ['list'], strokes: [{ key: 'y' }], shown: 'Y', does: msg('Tidy it on its way out') },
  color: { where: ['list'], strokes: [{ key: 'c' }], shown: 'C', does: msg('Color') },
  bringUp: { where: ['list'], strokes: [{ key: 'b' }], shown: 'B', does: msg('Bring to the top of the history') },
  addToBatch: { where: ['list'], strokes: [{ key: 'g' }], shown: 'G', does: msg('Gather into the batch in hand') },
  choose: { where: ['list'], strokes: [{ key: 's' }], shown: 'S', does: msg('Choose several; Shift ↑ ↓ for a range') },
  chooseDown: { where: ['list'], strokes: [{ key: 'ArrowDown', shift: true }], shown: 'Shift ↓', does: '' },
  chooseUp: { where: ['list'], strokes: [{ key: 'ArrowUp', shift: true }], shown: 'Shift ↑', does: '' },
  choosePageDown: { where: ['list'], strokes: [{ key: 'PageDown', shift: true }], shown: 'Shift Page ↓', does: '' },
  choosePageUp: { where: ['list'], strokes: [{ key: 'PageUp', shift: true }], shown: 'Shift Page ↑', does: '' },
  chooseToFirst: { where: ['list'], strokes: [{ key: 'Home', shift: true }], shown: 'Shift Home', does: '' },
  chooseToLast: { where: ['list'], strokes: [{ key: 'End', shift: true }], shown: 'Shift End', does: '' },
  moveDown: { where: ['kept', 'drawers', 'batch'], strokes: [{ key: 'ArrowDown', alt: true }], shown: 'Alt ↑ ↓', does: msg('Move a favorite, a clip in a drawer, a drawer, an item of a batch') },
  moveUp: { where: ['kept', 'drawers', 'batch'], strokes: [{ key: 'ArrowUp', alt: true }], shown: 'Alt ↑', does: '' },
  remove: { where: ['list', 'batch'], strokes: [{ key: 'Delete', shift: false }], shown: 'Del', does: msg('Remove') },
  undo: { where: ['page'], strokes: [{ key: 'u', shift: false }, { key: 'z', ctrl: true, shift: false }], shown: 'U', does: msg('Undo what was done here; Shift U makes it again') },
  redo: { where: ['page'], strokes: [{ key: 'u', shift: true }, { key: 'z', ctrl: true, shift: true }], shown: 'Shift U', does: '' },
  goHistory: { where: ['page'], strokes: [{ key: 'h' }], shown: 'H', does: msg('Go to the history') },
  goFavorites: { where: ['page'], strokes: [{ key: 'f' }], shown: 'F', does: msg('Go to the favorites') },
  goDrawer: { where: ['page'], strokes: [{ key: 'j' }], shown: 'J', does: msg('Jump to a drawer, or make one') },
  goBatches: { where: ['page'], strokes: [{ key: 'o' }], shown: 'O', does: msg('Go to the batches, to hand one out') },
  goInsight: { where: ['page'], strokes: [{ key: 'i' }], shown: 'I', does: msg('Go to the insight') },
  goActs: { where: ['page'], strokes: [{ key: 'a' }], shown: 'A', does: msg('Go to the recent acts') },
  goDevices: { where: ['page'], strokes: [{ key: 'v' }], shown: 'V', does: msg('Go to your devices') },
  goSettings: { where: ['page'], strokes: [{ key: 'k' }], shown: 'K', does: msg('Go to the settings: what is kept, and how') },
  favorite: { where: ['page'], strokes: DIGITS, shown: '1 … 9', does: msg('Take the favorite f1 … f9') },
  help: { where: ['page'], strokes: [{ key: '?' }], shown: '?', does: msg('This page') },
  pickTake: { where: ['pick'], strokes: [{ key: 'Enter', ctrl: false, alt: false, shift: false }], shown: 'Enter', does: '' },
  pickOther: { where: ['pick'], strokes: [{ key: 'Enter', ctrl: true }], shown: 'Ctrl Enter', does: '' },
  pickPlain: { where: ['pick'], strokes: [{ key: 'Enter', alt: true }, { key: 'Enter', shift: true }], shown: 'Alt Enter', does: '' },
  pickRow: { where: ['pick'], strokes: DIGITS.map(({ key }) => ({ key, alt: true })), shown: 'Alt 1 … 9', does: '' },
  pickFirst: { where: ['pick'], strokes: [{ key: 'Home', ctrl: true }], shown: 'Ctrl Home', does: '' },
  pickLast: { where: ['pick'], strokes: [{ key: 'End', ctrl: true }], shown: 'Ctrl End', does: '' },
  pickChoose: { where: ['pick-tidy'], strokes: [{ key: ' ' }], shown: 'Space', does: '' },
  pickTidy: { where: ['pick'], strokes: alone('t'), shown: 'Alt T', does: '' },
  pickEdit: { where: ['pick'], strokes: alone('e'), shown: 'Alt E', does: '' },
  pickPin: { where: ['pick'], strokes: alone('p'), shown: 'Alt P', does: '' },
  pickGather: { where: ['pick'], strokes: alone('g'), shown: 'Alt G', does: '' },
  pickNext: { where: ['pick'], strokes: alone('n'), shown: 'Alt N', does: '' },
  pickRemove: { where: ['pick'], strokes: [{ key: 'Delete', shift: false }], shown: 'Del', does: '' },
  pickClear: { where: ['pick'], strokes: alone('l'), shown: 'Alt L', does: '' },
  pickPause: { where: ['pick'], strokes: alone('b'), shown: 'Alt B', does: '' },
  pickUndo: { where: ['pick'], strokes: alone('z'), shown: 'Alt Z', does: '' },
  pickFavorites: { where: ['pick'], strokes: alone('f'), shown: 'Alt F', does: '' },
  pickWhole: { where: ['pick'], strokes: alone('o'), shown: 'Alt O', does: '' },
  pickStay: { where: ['pick'], strokes: alone('s'), shown: 'Alt S', does: '' },
  complete: { where: ['search'], strokes: [{ key: 'Tab', shift: false }], shown: 'Tab', does: '' },
  confirm: { where: ['picker', 'form', 'chart'], strokes: [{ key: 'Enter', shift: false }], shown: 'Enter', does: '' },
  nextBar: { where: ['chart'], strokes: [{ key: 'ArrowRight' }], shown: '→', does: '' },
  previousBar: { where: ['chart'], strokes: [{ key: 'ArrowLeft' }], shown: '←', does: '' },
  save: { where: ['editor'], strokes: [{ key: 'Enter', ctrl: true }], shown: 'Ctrl Enter', does: msg('Save what was changed') },
  leave: { where: ['page', 'list', 'search', 'picker', 'editor', 'form', 'pick'], strokes: [{ key: 'Escape' }], shown: 'Esc', does: msg('Fold, let go, leave') },
} as const satisfies Record<string, Key>;

export type Command = keyof typeof KEYS;

/** A press, as far as it matters here: a KeyboardEvent is one. */
export interface Press {
  key: string;
  /** The key by its place on the keyboard (UI Events KeyboardEvent code values). */
  code: string;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
  shiftKey: boolean;
  isComposing: boolean;
  keyCode: number;
}

const STORED = 'yadori.keys';
/** What a press is called while an input method has it (UI Events section 5). */
const IN_COMPOSITION = 229;

const isLetter = (key: string): boolean => key.length === 1 && key.toLowerCase() !== key.toUpperCase();
const isLatin = (key: string): boolean => /^[a-z]$/i.test(key);
/** A command whose key is a single character can be given another one, or be switched off (WCAG 2.1.4). */
export const isSingle = (command: Command): boolean =>
  command !== 'favorite' && (KEYS[command].strokes as readonly Stroke[]).some(({ key, alt, ctrl }) => key.length === 1 && key !== ' ' && !alt && !ctrl);

/** Looks presses up in the table, with the keys that the person has chosen instead. */
export class Keys {
  /** Single characters act. */
  single = $state(true);
  /** Commands with another key than in the table. */
  own = $state.raw<Partial<Record<Command, string>>>({});
  /** The last letter that was pressed is none of the Latin alphabet: signs are then looked up by their place too. */
  #foreign = false;

  constructor(private page: Page | null = null) {
    try {
      const known = JSON.parse(page?.kept(STORED) ?? '{}') as { single?: unknown; own?: Record<string, unknown> };
      this.single = known.single !== false;
      const own = Object.entries(known.own ?? {}).filter(([name, key]) => name in KEYS && typeof key === 'string' && key.length === 1);
      this.own = Object.fromEntries(own) as Partial<Record<Command, string>>;
    } catch {
      // What can't be read is as good as not set.
    }
  }

  save(): void {
    this.page?.keep(STORED, JSON.stringify({ single: this.single, own: this.own }));
  }

  /** Gives a command another key; says why not. */
  give(command: Command, key: string): string | null {
    const wanted = key.toLowerCase();
    if (wanted.length !== 1 || /[\s\d]/.test(wanted)) return t('One letter or sign, please.');
    const others = (Object.keys(KEYS) as Command[]).filter((one) => one !== command && isSingle(one));
    const taken = others.find((one) => this.#of(one) === wanted && one !== 'redo');
    if (taken) return t('{wanted} is the key of “{does}”.', { wanted: wanted.toUpperCase(), does: t(KEYS[taken].does) });
    const { [command]: _, ...rest } = this.own;
    this.own = wanted === KEYS[command].strokes[0].key ? rest : { ...rest, [command]: wanted };
    this.save();
    return null;
  }

  #of(command: Command): string {
    return this.own[command === 'redo' ? 'undo' : command] ?? KEYS[command].strokes[0].key;
  }

  /** The key of a command as it stands on a button; empty when it has none now. */
  shown(command: Command): string {
    if (!isSingle(command) && command !== 'favorite') return KEYS[command].shown;
    if (!this.single) return '';
    if (command === 'redo') return `Shift ${this.#of('undo').toUpperCase()}`;
    return command in this.own ? this.#of(command).toUpperCase() : KEYS[command].shown;
  }

  /** True for a press that an input method has: it is nobody else's. */
  static isComposed(press: Press): boolean {
    return press.isComposing || press.keyCode === IN_COMPOSITION;
  }

  /** The command that a press is, in the first of these places where it is one; `null` for none. */
  command(press: Press, ...places: Where[]): Command | null {
    if (Keys.isComposed(press)) return null;
    if (isLetter(press.key)) this.#foreign = !isLatin(press.key);
    const keys = this.#meant(press);
    for (const where of places) {
      for (const [name, key] of Object.entries(KEYS) as [Command, Key][]) {
        if (key.where.includes(where) && key.strokes.some((stroke) => this.#fits(name, keys, press, stroke))) return name;
      }
    }
    return null;
  }

  /** The digit that a press is, 1 to 9. */
  static digit(press: Press): number {
    return Number(/^[1-9]$/.test(press.key) ? press.key : (/[1-9]$/.exec(press.code)?.[0] ?? 0));
  }

  /** What key a press may mean: what it writes; by its place, where it writes in another alphabet. */
  #meant(press: Press): string[] {
    const { key, code } = press;
    if (isLetter(key) && !isLatin(key)) return [key.toLowerCase(), /^Key([A-Z])$/.exec(code)?.[1]?.toLowerCase() ?? key];
    const keys = [isLetter(key) ? key.toLowerCase() : key];
    if (this.#foreign && code === 'Slash') keys.push(press.shiftKey ? '?' : '/');
    // Digits are digits by their place where the row above the letters writes signs.
    const digit = /^(?:Digit|Numpad)([1-9])$/.exec(code)?.[1];
    if (digit && !/^\d$/.test(key) && key.length === 1 && !press.shiftKey) keys.push(digit);
    return keys;
  }

  #fits(name: Command, keys: string[], press: Press, stroke: Stroke): boolean {
    const ctrl = press.ctrlKey || press.metaKey;
    const character = stroke.key.length === 1 && stroke.key !== ' ' && !stroke.ctrl && !stroke.alt;
    if (character && !this.single) return false;
    const wanted = character && name !== 'favorite' ? this.#of(name) : stroke.key;
    if (!keys.includes(wanted)) return false;
    if (ctrl !== (stroke.ctrl ?? false) || press.altKey !== (stroke.alt ?? false)) return false;
    return stroke.shift === undefined || press.shiftKey === stroke.shift;
  }
}

/** The lines of the help page. */
export const helpLines = (): [Command, string][] =>
  (Object.entries(KEYS) as [Command, Key][]).flatMap(([name, { does }]): [Command, string][] => (does ? [[name, t(does)]] : []));
