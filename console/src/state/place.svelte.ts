// Where one is: which page, as the address of the page says it.
import type { Page } from './page';

export type Place =
  | { view: 'history' | 'favorites' | 'drawers' | 'insight' | 'acts' | 'help' }
  | { view: 'drawer'; id: string };
export type View = Place['view'];

const VIEWS = ['history', 'favorites', 'drawers', 'insight', 'acts', 'help'] as const;

/** The place that a fragment names; the history for one that names none. */
export function placeOf(fragment: string): Place {
  const [view, id] = fragment.replace(/^#\//, '').split('/');
  const known = VIEWS.find((one) => one === view);
  return view === 'drawer' && id ? { view, id } : { view: known ?? 'history' };
}

export function fragmentOf(place: Place): string {
  return place.view === 'drawer' ? `#/drawer/${place.id}` : `#/${place.view}`;
}

export class Whereabouts {
  now = $state.raw<Place>({ view: 'history' });
  /** Called when one has come somewhere. */
  onCome: (place: Place) => void = () => {};

  constructor(private page: Page) {}

  /** Reads the place from the address of the page. */
  read(): void {
    this.now = placeOf(this.page.fragment);
    this.onCome(this.now);
  }

  go(place: Place): void {
    const fragment = fragmentOf(place);
    if (this.page.fragment === fragment) this.read();
    else this.page.go(fragment);
  }
}
