// What the person prefers: order and how many are shown, which begin as the settings say and are then this window's own; a sound,
// and whether the first start was seen, which the browser keeps.
import { msg } from '../language/language.svelte';
import type { Page } from './page';

const STORED = 'yadori.prefs';

export type Order = 'newest' | 'oldest';

/** As many as there are. */
export const ALL = Number.MAX_SAFE_INTEGER;

const MOST: [number, string][] = [
  [50, '50'],
  [200, '200'],
  [1_000, '1,000'],
  [ALL, msg('all')],
];

export class Prefs {
  order = $state<Order>('newest');
  most = $state(ALL);
  /** A sound at each copy, from this page. */
  sound = $state(false);
  welcomed = $state(false);
  /** What the settings said last. */
  #settings: [Order, number] = ['newest', ALL];

  constructor(private page: Page) {
    try {
      const known = JSON.parse(page.kept(STORED) ?? '{}') as Record<string, unknown>;
      this.sound = known.sound === true;
      this.welcomed = known.welcomed === true;
    } catch {
      // What can't be read is as good as not set.
    }
  }

  /** How many can be shown, what the settings say among them. */
  get choices(): [number, string][] {
    const own = [this.#settings[1], this.most].filter((most, at, all) => all.indexOf(most) === at && !MOST.some(([known]) => known === most));
    return [...MOST, ...own.map((most): [number, string] => [most, most.toLocaleString('en')])].sort(([one], [other]) => one - other);
  }

  /** The settings say so. What they do not say anew stays as this window has it. True: something is shown otherwise. */
  follow(order: Order, shown: number | null | undefined): boolean {
    const [before, most] = [this.#settings, shown ?? ALL];
    this.#settings = [order, most];
    if (order === before[0] && most === before[1]) return false;
    if (order !== before[0]) this.order = order;
    if (most !== before[1]) this.most = most;
    return true;
  }

  save(): void {
    const { sound, welcomed } = this;
    this.page.keep(STORED, JSON.stringify({ sound, welcomed }));
  }
}
