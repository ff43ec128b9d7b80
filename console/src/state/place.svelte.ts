// Where one is: which page, and what is searched for there, as the address of the page says it.
import type { Page } from './page';

/** Pages with a list in them. */
export type ListPlace = { view: 'history' | 'favorites'; query: string } | { view: 'drawer'; id: string; query: string };
export type Place = ListPlace | { view: 'drawers' | 'batches' | 'hand' | 'pick' | 'insight' | 'acts' | 'devices' | 'settings' | 'help' };
export type View = Place['view'];

const PLAIN = ['drawers', 'batches', 'hand', 'pick', 'insight', 'acts', 'devices', 'settings', 'help'] as const;

/** The place that a fragment names; the history for one that names none. */
export function placeOf(fragment: string): Place {
  const [path = '', search = ''] = fragment.replace(/^#\/?/, '').split('?');
  const [view, id] = path.split('/');
  const query = new URLSearchParams(search).get('q') ?? '';
  if (view === 'drawer' && id) return { view, id, query };
  if (view === 'favorites') return { view, query };
  const plain = PLAIN.find((one) => one === view);
  return plain ? { view: plain } : { view: 'history', query };
}

export function fragmentOf(place: Place): string {
  const path = place.view === 'drawer' ? `#/drawer/${place.id}` : `#/${place.view}`;
  return 'query' in place && place.query !== '' ? `${path}?${new URLSearchParams({ q: place.query })}` : path;
}

export const isList = (place: Place): place is ListPlace => 'query' in place;

export class Whereabouts {
  now = $state.raw<Place>({ view: 'history', query: '' });
  /** Called when one is about to leave a place, and when one has come somewhere. */
  onLeave: () => void = () => {};
  onCome: (place: Place) => void = () => {};

  #been = false;

  constructor(private page: Page) {}

  /** Reads the place from the address of the page. */
  read(): void {
    if (this.#been) this.onLeave();
    this.#been = true;
    this.now = placeOf(this.page.fragment);
    this.onCome(this.now);
  }

  /** Goes somewhere, at once: what is pressed next is pressed there. */
  go(place: Place): void {
    const fragment = fragmentOf(place);
    if (this.page.fragment !== fragment) this.page.go(fragment);
    this.read();
  }

  /** The same page with another query: a step of the browser's history when a search begins or ends. */
  queried(query: string): void {
    const { now } = this;
    if (!isList(now) || now.query === query) return;
    const step = (now.query === '') !== (query === '');
    this.now = { ...now, query };
    const fragment = fragmentOf(this.now);
    if (step) this.page.go(fragment);
    else this.page.replace(fragment);
  }
}
