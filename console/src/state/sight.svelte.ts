// What is on the screen of a list. It is the truth for as long as nobody is busy in it. Under a pointer that rests, a
// button that is down, a selection, or once one has scrolled, it stays as it is: what came waits, counted, until one
// moves on. What one does oneself shows at once, there and nowhere else.
import { copyOf, knowing, NOTHING, patch, placeFrom, type Listed, type Steady } from './listed';
import { Layout } from './layout';
import { sizes } from './look.svelte';

/** Changes of one's own that are shown one by one; more show everything anew. */
const ONE_BY_ONE = 200;
/** Things of which it is remembered where they stand. */
const REMEMBERED = 16;

/** What the view does around a change, so that what one looks at stays where it is. */
export interface Holding {
  before(): void;
  after(): void;
  /** Another list is shown: from its top, or from where one was in it. */
  anew(): void;
}

/** What happened to the list while something was told. */
export interface Came {
  /** Clips that have come to it or moved in it. */
  ids: string[];
  /** Clips that have left the history. */
  gone: string[];
}

/** An act of one's own that is not seen in the truth yet. */
interface Own {
  ids: string[];
  revision: number;
}

export class Sight {
  now = $state.raw<Listed>(NOTHING);
  version = $state(0);
  /** What is there was read. */
  loaded = $state(false);
  /** Things that came since, and wait. */
  waiting = $state.raw<ReadonlySet<string>>(new Set());
  /** What stands in the list but is in the history no longer. */
  gone = $state.raw<ReadonlySet<string>>(new Set());
  /** Sittings stand as headings in it. */
  sittings = $state(true);

  /** Pixels to one of 16 that a rem has as a rule. */
  unit = $state(1);

  /** Where the pointer is, whether a button is down, whether something is dragged, how far it is scrolled: the view says. */
  pointer = $state(false);
  down = $state(false);
  /** A finger has touched it a moment ago. */
  touched = $state(false);
  dragging = $state(false);
  away = $state(false);

  view: Holding | null = null;
  /** Called when the list has changed, with what it was. */
  onChanged: (before: readonly string[]) => void = () => {};

  #truth: () => Listed = () => NOTHING;
  #revision: () => number = () => 0;
  #isBusy: () => boolean = () => false;
  /** `now` is the truth itself, not a copy. */
  #shared = true;
  #own: Own[] = [];
  #inFlight = new Set<string>();

  /** How the lists lie that change under one's hands: what has changed in them is laid out alone. */
  #laid = new WeakMap<Steady, { layout: Layout; as: string }>();
  /** Where what was looked for last stands, or stood; -1: nowhere, as of a version. */
  #found = new Map<string, { at: number; version: number }>();
  #near = 0;

  layout: Layout = $derived.by(() => {
    void this.version;
    const { kinds, times, steady } = this.now;
    const [unit, { row, picture }] = [this.unit, sizes()];
    if (!this.sittings) return Layout.flat(kinds, unit, { row, picture });
    const as = `${unit} ${row} ${picture}`;
    const before = steady && this.#laid.get(steady);
    const same = steady?.ask(kinds.length) ?? 0;
    const layout = Layout.ofSittings(kinds, times, unit, { row, picture }, before?.as === as ? before.layout : undefined, same, steady?.end);
    if (steady) this.#laid.set(steady, { layout, as });
    return layout;
  });

  /** `truth`: what there is now. `isBusy`: something is selected, chosen or open. */
  begin(truth: () => Listed, revision: () => number, isBusy: () => boolean): void {
    [this.#truth, this.#revision, this.#isBusy] = [truth, revision, isBusy];
  }

  /** True while nothing may move. */
  get held(): boolean {
    return this.pointer || this.down || this.touched || this.dragging || this.away || this.#isBusy();
  }

  /** Another list is to be seen. */
  show(loaded: boolean, sittings: boolean): void {
    this.loaded = loaded;
    this.sittings = sittings;
    this.#take();
    this.view?.anew();
  }

  #take(): void {
    this.now = this.#truth();
    this.#shared = true;
    this.#own = [];
    if (this.waiting.size > 0) this.waiting = new Set();
    if (this.gone.size > 0) this.gone = new Set();
    this.version++;
  }

  /** Carries out a change of the truth. */
  turn(work: () => Came): void {
    const held = this.held;
    if (held) this.#part();
    if (!held) this.view?.before();
    const came = work();
    if (!held) {
      this.adopt(true);
      return;
    }
    const new_ = came.ids.filter((id) => !this.#inFlight.has(id));
    if (new_.length > 0) this.waiting = new Set([...this.waiting, ...new_]);
    this.#mark(came);
    this.#settleOwn();
  }

  /** What is on the screen is a list of its own from here on. */
  #part(): void {
    if (!this.#shared) return;
    const { steady } = this.now;
    const laid = steady && this.#laid.get(steady);
    const same = steady?.ask(this.now.ids.length) ?? 0;
    steady?.keep(same);
    this.now = copyOf(this.now);
    this.#shared = false;
    if (!laid || !this.now.steady) return;
    this.#laid.set(this.now.steady, { ...laid, layout: laid.layout.copy() });
    this.now.steady.ask(this.now.ids.length);
    this.now.steady.keep(same);
  }

  /** What has gone is marked where it stands; what has come back is not. */
  #mark(came: Came): void {
    const gone = came.gone.filter((id) => !this.#inFlight.has(id)).filter(knowing(this.now.ids, this.#near));
    const back = came.ids.filter((id) => this.gone.has(id));
    if (gone.length === 0 && back.length === 0) return;
    const all = new Set([...this.gone, ...gone]);
    back.forEach((id) => all.delete(id));
    this.gone = all;
  }

  /** These come behind all that is there: nothing that is seen moves. */
  extend(part: Listed): void {
    if (!this.#shared) {
      const known = new Set(this.now.ids);
      this.now.steady?.changed(this.now.ids.length, 0);
      part.ids.forEach((id, n) => {
        if (known.has(id)) return;
        this.now.ids.push(id);
        this.now.kinds.push(part.kinds[n] ?? 't');
        this.now.times.push(part.times[n] ?? 0);
      });
    }
    this.version++;
  }

  /** Shows everything as it is now. What one looks at stays where it is as far as there is room. */
  adopt(anchored = false): void {
    if (!anchored) this.view?.before();
    const before = this.now.ids;
    this.#take();
    this.onChanged(before);
    this.view?.after();
  }

  /** Everything was read anew while this stays on the screen; these are there no longer. */
  reread(gone: string[]): void {
    this.#part();
    this.gone = new Set(gone);
    this.#settleOwn();
  }

  /** One has moved on, perhaps: what waits is shown if nothing holds it any more. */
  release(): void {
    if (!this.held && !this.#shared) this.adopt();
  }

  /** An act of one's own begins: what it does to these is nothing that came from elsewhere. */
  starting(ids: string[]): void {
    ids.forEach((id) => this.#inFlight.add(id));
  }

  /** It has ended. What it did shows as soon as the history has come to this revision. */
  did(started: string[], ids: string[], revision: number): void {
    started.forEach((id) => this.#inFlight.delete(id));
    this.#own.push({ ids, revision });
    this.#settleOwn();
  }

  /** It did not come about. */
  didNot(started: string[]): void {
    started.forEach((id) => this.#inFlight.delete(id));
  }

  #settleOwn(): void {
    const now = this.#revision();
    const due = this.#own.filter((one) => one.revision <= now).flatMap((one) => one.ids);
    this.#own = this.#own.filter((one) => one.revision > now);
    if (due.length === 0 || this.#shared) return;
    if (due.length > ONE_BY_ONE) return this.adopt();
    this.view?.before();
    const truth = this.#truth();
    const before = this.now.ids.slice();
    due.forEach((id) => patch(this.now, truth, id));
    this.now = { ...this.now };
    this.version++;
    const settled = new Set(due);
    this.waiting = new Set([...this.waiting].filter((id) => !settled.has(id)));
    this.gone = new Set([...this.gone].filter((id) => !settled.has(id)));
    this.onChanged(before);
    this.view?.after();
  }

  /** The place of something; -1: nowhere. Where it was, or is likely to be, is looked first. */
  place(id: string | null, near?: number): number {
    const { version } = this;
    const { ids } = this.now;
    if (id === null) return -1;
    const known = this.#found.get(id);
    if (known && (known.at < 0 ? known.version === version : ids[known.at] === id)) return known.at;
    const at = placeFrom(ids, id, near ?? (known && known.at >= 0 ? known.at : this.#near));
    if (this.#found.size >= REMEMBERED) this.#found.clear();
    this.#found.set(id, { at, version });
    if (at >= 0) this.#near = at;
    return at;
  }

  has(id: string): boolean {
    return this.place(id) >= 0;
  }
}
