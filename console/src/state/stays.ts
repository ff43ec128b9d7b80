// Where one was in each list: what was selected, and what stood at the upper edge. Kept for as long as the window is open.
import { fragmentOf, type ListPlace } from './place.svelte';
import type { Page } from './page';

const STORED = 'yadori.stays';
const MOST = 30;

/** Where one was. */
export interface Stay {
  selected: string | null;
  /** What stood at the upper edge, and how far above it (pixels); `null` at the top. */
  edge: { id: string; above: number } | null;
}

export class Stays {
  #known: [string, Stay][] = [];

  constructor(private page: Page) {
    try {
      const known: unknown = JSON.parse(page.keptHere(STORED) ?? '[]');
      if (Array.isArray(known)) this.#known = known as [string, Stay][];
    } catch {
      // One was nowhere.
    }
  }

  #put(place: ListPlace, change: Partial<Stay>): void {
    const key = fragmentOf(place);
    const stay = { ...(this.of(place) ?? { selected: null, edge: null }), ...change };
    this.#known = [...this.#known.filter(([one]) => one !== key), [key, stay] as [string, Stay]].slice(-MOST);
    this.page.keepHere(STORED, JSON.stringify(this.#known));
  }

  of(place: ListPlace): Stay | null {
    const key = fragmentOf(place);
    return this.#known.find(([one]) => one === key)?.[1] ?? null;
  }

  selectedIn = (place: ListPlace): string | null => this.of(place)?.selected ?? null;

  leave(place: ListPlace, selected: string | null): void {
    this.#put(place, { selected });
  }

  scrolled(place: ListPlace, edge: Stay['edge']): void {
    this.#put(place, { edge });
  }
}
