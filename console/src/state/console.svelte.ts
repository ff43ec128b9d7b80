// The console's whole state, joined from its topics.
import type { Service } from '../border/service';
import { Acts } from './acts.svelte';
import { Arrivals } from './arrivals.svelte';
import { Kept } from './kept.svelte';
import { Keys } from './keys';
import { List } from './list.svelte';
import { Messages } from './messages.svelte';
import type { Page } from './page';
import { Whereabouts, type Place } from './place.svelte';
import { Prefs } from './prefs.svelte';
import { Search } from './search.svelte';
import { Selection } from './selection.svelte';
import { Session } from './session.svelte';

export class Console {
  readonly keys = new Keys();
  readonly session: Session;
  readonly prefs: Prefs;
  readonly list: List;
  readonly selection: Selection;
  readonly search: Search;
  readonly kept: Kept;
  readonly messages: Messages;
  readonly acts: Acts;
  readonly arrivals: Arrivals;
  readonly #where: Whereabouts;

  constructor(
    readonly service: Service,
    private page: Page,
  ) {
    this.session = new Session(service, page);
    this.prefs = new Prefs(page);
    this.list = new List(service, this.prefs);
    this.selection = new Selection(this.list);
    this.search = new Search(service, this.list, this.selection, page);
    this.kept = new Kept(service, page);
    this.messages = new Messages(page);
    this.acts = new Acts(service, this.list, this.selection, this.search, this.messages);
    this.arrivals = new Arrivals(service, page, this);
    this.#where = new Whereabouts(page);
    this.#where.onCome = (place) => {
      this.selection.enter(place);
      this.kept.open(place.view === 'drawer' ? place.id : place.view === 'favorites' ? null : undefined);
    };
  }

  async open(): Promise<void> {
    await this.session.open();
    if (this.session.entry !== 'in') return;
    this.#where.read();
    void this.arrivals.listen();
  }

  /** Where one is. */
  get place(): Place {
    return this.#where.now;
  }

  /** The address of the page has changed. */
  readPlace(): void {
    this.#where.read();
  }

  go(place: Place): void {
    this.#where.go(place);
  }

  /** To the search field, from wherever one is. */
  goToSearch(): void {
    this.go({ view: 'history' });
    this.page.withNextFrame(() => this.page.focus('search'));
  }

  /** Searches the history for this. */
  find(query: string): void {
    this.search.type(query);
    this.goToSearch();
  }

  /** How many of the newest clips were copied since midnight here. */
  get today(): number {
    void this.list.version;
    const midnight = new Date(this.page.now()).setHours(0, 0, 0, 0) / 1_000;
    const { times } = this.list.chronicle;
    let n = 0;
    while (n < times.length && (times[n] ?? 0) >= midnight) n++;
    return n;
  }
}
