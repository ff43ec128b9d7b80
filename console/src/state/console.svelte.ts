// The console's whole state, joined from its topics.
import type { Look } from '../api/types';
import type { Service } from '../border/service';
import { Acts } from './acts.svelte';
import { Arrivals } from './arrivals.svelte';
import { Batches } from './batches.svelte';
import { Drafts } from './drafts.svelte';
import { Drawers } from './drawers.svelte';
import { Keys } from './keys.svelte';
import { List } from './list.svelte';
import type { Listed } from './listed';
import { Messages } from './messages.svelte';
import type { Page } from './page';
import { Picking } from './picking/picking.svelte';
import { isList, Whereabouts, type Place } from './place.svelte';
import { Prefs, type Order } from './prefs.svelte';
import { Questions } from './questions.svelte';
import { Rows } from './rows.svelte';
import { Search } from './search.svelte';
import { Selection } from './selection.svelte';
import { Session } from './session.svelte';
import { Devices } from './devices.svelte';
import { Phone } from './phone.svelte';
import { Settings } from './settings.svelte';
import { Sight } from './sight.svelte';
import { Stays } from './stays';
import { t } from '../language/language.svelte';

export class Console {
  readonly keys: Keys;
  readonly session: Session;
  readonly prefs: Prefs;
  readonly rows: Rows;
  readonly list: List;
  readonly sight = new Sight();
  readonly selection = new Selection(this.sight);
  readonly search: Search;
  readonly drawers: Drawers;
  readonly drafts: Drafts;
  readonly messages: Messages;
  readonly acts: Acts;
  readonly questions = new Questions();
  readonly settings: Settings;
  readonly devices: Devices;
  readonly phone: Phone;
  readonly batches: Batches;
  readonly picking: Picking;
  readonly arrivals: Arrivals;
  readonly stays: Stays;
  /** A drawer is being chosen to go to. */
  jumping = $state(false);
  readonly #where: Whereabouts;
  /** It is known where one is. */
  #placed = false;
  /** What has gone from the screen is to be told once everything has been read. */
  #owed = false;
  #listening = false;

  constructor(
    readonly service: Service,
    private page: Page,
  ) {
    this.keys = new Keys(page);
    this.session = new Session(service, page);
    this.prefs = new Prefs(page);
    this.rows = new Rows(service);
    this.list = new List(service, page, this.prefs, this.rows);
    this.list.onFavorites = () => {
      this.drawers.settle();
      if (this.place.view === 'favorites') this.#reloaded();
    };
    this.list.onOlder = (part) => this.#older(part);
    const busy = () => this.selection.isBusy || (this.list.results?.ids.length ?? 0) > 0;
    this.sight.begin(() => this.list.truth(), () => this.list.chronicle.revision, busy);
    this.search = new Search(service, this.list, this.rows, this.sight, this.selection, page);
    this.messages = new Messages(page);
    this.drawers = new Drawers(service, this.list, page);
    this.drafts = new Drafts(service, page, this.messages);
    this.acts = new Acts(service, this.rows, this.sight, this.selection, this.search, this.messages, page);
    this.settings = new Settings(service, this.acts, this.messages, this.questions);
    this.devices = new Devices(service, this.messages, this.questions);
    this.phone = new Phone(service, this.rows, this.messages, page);
    if (this.phone.here) this.acts.onPhone = (id) => this.phone.take(id);
    this.acts.onSecret = (what) => this.settings.askToPin(what);
    this.acts.isInSight = () => isList(this.place) || ['acts', 'batches', 'hand', 'pick'].includes(this.place.view);
    this.batches = new Batches(service, this.acts, this.messages, page);
    this.picking = new Picking(service, this.rows, this.acts, this.messages, page);
    this.picking.clear = (query) => this.settings.clear(query === '' ? {} : { query }, false);
    this.picking.onLeave = () => this.go({ view: 'history', query: '' });
    this.arrivals = new Arrivals(service, page, { ...this.#parts(), reloaded: () => this.#reloaded() });
    this.stays = new Stays(page);
    this.#where = new Whereabouts(page);
    this.#where.onLeave = () => this.#leave();
    this.#where.onCome = (place) => this.#come(place);
    this.search.onAsked = (text) => {
      this.#where.queried(text);
      if (isList(this.place)) this.list.place = this.place;
    };
    this.session.onIn = () => this.#listen(false);
    this.session.onOut = () => {
      this.#listening = false;
      this.messages.say(t('You are signed out. The page stays as it is; sign in to go on.'));
    };
  }

  /** The history in another order, or others of it: the list is another one. */
  showHistory(order: Order, most: number): void {
    [this.prefs.order, this.prefs.most] = [order, most];
    this.#shownAnew();
  }

  /** What the settings say of the history is shown at once. */
  followLook(look: Look): void {
    if (this.prefs.follow(look.order ?? 'newest', look.shown)) this.#shownAnew();
  }

  #shownAnew(): void {
    void this.arrivals.readOn();
    if (this.place.view !== 'history' || !this.sight.loaded) return;
    this.selection.begin();
    this.sight.show(this.sight.loaded, this.sight.sittings);
  }

  #parts() {
    const { session, rows, list, sight, selection, search, drawers, drafts, acts, batches, messages, prefs } = this;
    return { session, rows, list, sight, selection, search, drawers, drafts, acts, batches, messages, prefs };
  }

  /** The picker asks for what it shows itself, and is there at once; the rest is read when one goes there. */
  #listen(anew: boolean): void {
    if (this.session.entry !== 'in' || !this.#placed) return;
    // What was typed there stays when one has signed in again.
    if (this.place.view === 'pick') return anew || !this.picking.isOpen ? this.picking.open() : undefined;
    if (!this.#listening) {
      void this.arrivals.listen();
      // To whom a clip can be sent; a phone sends to nobody.
      if (!this.phone.here) void this.devices.load();
      void this.phone.takeIn();
    }
    this.#listening = true;
  }

  async open(): Promise<void> {
    await this.session.open();
    this.#where.read();
    this.#placed = true;
    this.#listen(true);
  }

  /** Where one is. */
  get place(): Place {
    return this.#where.now;
  }

  /** The address of the page has changed. */
  readPlace(): void {
    this.#where.read();
    this.focusPage();
  }

  /** Goes somewhere, with the focus: what is pressed next is pressed there. */
  go(place: Place): void {
    this.jumping = false;
    this.#where.go(place);
    this.focusPage();
  }

  /** What was to be typed into did not open: the focus goes where no letter acts. */
  rest(): void {
    this.page.focus('rest');
  }

  /** The focus goes to what the page is about. */
  focusPage(): void {
    this.page.focus(isList(this.place) ? 'list' : this.place.view === 'pick' ? 'search' : 'page');
  }

  /** The page is about to be read anew, or to go: where one is, is remembered. */
  leaving(): void {
    this.#leave();
  }

  #leave(): void {
    const { selected } = this.selection;
    if (isList(this.place)) this.stays.leave(this.place, selected);
  }

  #come(place: Place): void {
    this.#listen(true);
    if (this.drafts.editing) void this.drafts.leave();
    const list = isList(place) ? place : null;
    this.list.place = list;
    this.list.problem = null;
    this.search.enter(list);
    this.selection.begin(list && this.list.isRead ? this.#stayed() : null);
    this.sight.show(list !== null && this.list.isRead && !this.search.active, place.view === 'history' && !this.search.active);
    if (list?.view === 'drawer' && !this.list.isRead) this.#readDrawer();
  }

  /** What was selected when one was here last, if it is still there. */
  #stayed(): string | null {
    const id = isList(this.place) ? this.stays.selectedIn(this.place) : null;
    return id !== null && this.list.truth().ids.includes(id) ? id : null;
  }

  #readDrawer(): void {
    void this.list.readDrawer().then((put) => {
      if (!put) return;
      put();
      if (this.search.active) return;
      this.selection.begin(this.#stayed());
      this.sight.show(true, false);
    });
  }

  /** What could not be read is tried again. */
  tryAgain(): void {
    this.#readDrawer();
  }

  /** The drawer that is open has changed by one's own act. */
  async drawerChanged(): Promise<void> {
    const put = await this.list.readDrawer();
    if (!put) return;
    put();
    this.sight.adopt();
  }

  #reloaded(): void {
    const { place } = this;
    if (!isList(place)) return;
    this.drawers.settle();
    if (place.view === 'drawer') return void (this.sight.loaded || this.#readDrawer());
    if (this.search.active) return this.search.refresh();
    if (this.sight.loaded) return this.#readAnew();
    this.selection.begin(this.#stayed());
    this.sight.show(true, place.view === 'history');
  }

  /** Everything was read anew while it was on the screen: it stays there, if anybody is busy in it. */
  #readAnew(): void {
    const { sight, place, list } = this;
    if (!sight.held) return sight.adopt();
    const { ids, times } = this.list.truth();
    const there = new Set(ids);
    // Of what is older than all that has been read it is not known yet.
    this.#owed = place.view === 'history' && list.partial;
    const oldest = this.#owed ? (times.at(-1) ?? Infinity) : -Infinity;
    sight.reread(sight.now.ids.filter((id, n) => !there.has(id) && (sight.now.times[n] ?? 0) > oldest));
  }

  /** To the search field, from wherever one is. */
  goToSearch(): void {
    if (!isList(this.place)) this.#where.go({ view: 'history', query: '' });
    this.page.focus('search');
  }

  /** Searches the history for this. */
  find(query: string): void {
    this.#where.go({ view: 'history', query });
    this.page.focus('search');
  }

  /** Takes the favorite with this number, as it stands on the screen; where it does not, goes to where it does. */
  takeFavorite(number: number): void {
    const { drawers } = this;
    const onPage = this.place.view === 'favorites' && !this.search.active && !this.sight.away;
    const id = onPage || drawers.visible ? drawers.meant(number) : null;
    if (id !== null) return void this.acts.take(id, 'ready');
    if (onPage || drawers.visible) {
      const there = this.drawers.first.length >= number;
      return this.messages.tell(there ? t('f{number} has only just come there. Look, and press {number} again.', { number }) : t('There is no favorite f{number}.', { number }), { wrong: true });
    }
    const wanted = this.list.favorites.ids[number - 1];
    if (wanted === undefined) return this.messages.tell(t('There is no favorite f{number}.', { number }), { wrong: true });
    this.go({ view: 'favorites', query: '' });
    this.selection.select(wanted);
    this.messages.tell(t('f{number} is selected. Enter takes it.', { number }));
    this.page.focus('list');
  }

  /** The name of a page, as its title and its heading say it. */
  get pageName(): string {
    const { place } = this;
    switch (place.view) {
      case 'drawer':
        return this.drawers.get(place.id)?.name ?? (this.drawers.loaded ? t('A drawer that is gone') : t('Drawer'));
      case 'acts':
        return t('Recent acts');
      case 'hand':
        return t('Batch in hand');
      case 'pick':
        return t('Picker');
      default:
        return { history: t('History'), favorites: t('Favorites'), drawers: t('Drawers'), batches: t('Batches'), insight: t('Insight'), devices: t('Devices'), settings: t('Settings'), help: t('Help') }[place.view];
    }
  }

  /** Older clips are on their way behind what is on the screen. */
  get isReadingOn(): boolean {
    return this.place.view === 'history' && !this.list.results && this.list.isReadingOn;
  }

  /** Older clips have been read: they come behind what is on the screen. */
  #older(part: Listed): void {
    if (this.place.view !== 'history' || this.list.results) return;
    if (this.prefs.order === 'newest' && this.list.chronicle.ids.length <= this.prefs.most) {
      this.sight.extend(part);
      this.selection.extended(this.isReadingOn);
    } else if (!this.sight.held) this.sight.show(this.list.isRead, this.sight.sittings);
    if (this.#owed && !this.list.partial) this.#readAnew();
  }

  /** How many of the newest clips were copied since midnight here. */
  get today(): number {
    void this.list.version;
    const midnight = new Date(this.page.now()).setHours(0, 0, 0, 0) / 1_000;
    const { times } = this.list.chronicle;
    let [low, high] = [0, times.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((times[middle] ?? 0) >= midnight) low = middle + 1;
      else high = middle;
    }
    return low;
  }
}
