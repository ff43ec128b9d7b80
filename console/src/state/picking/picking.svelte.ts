// The picker in the console: the machine, what it asks of the service, and what stands on the screen.
import { Failure } from '../../api/failure';
import type { Batch, Detail, Row, Tidied } from '../../api/types';
import type { Service } from '../../border/service';
import type { Acts } from '../acts.svelte';
import type { Messages } from '../messages.svelte';
import type { Page } from '../page';
import type { Rows } from '../rows.svelte';
import type { Ask, Wanted, Wish } from './asks';
import { Picker } from './machine';
import { nextWords } from '../batches.svelte';
import { count } from '../words';
import { t } from '../../language/language.svelte';

const SWAPPED = 'yadori.picker.swapped';

export class Picking {
  /** The machine; read through `now`, which is another one after each change. */
  #machine: Picker;
  /** As it stands on the screen. */
  now = $state.raw<Picker>(new Picker());
  /** Opened by its chord, over a program that it can paste into. */
  byChord = $state(false);
  /** Clips in the history. */
  total = $state(0);
  /** Why what is to be listed can't be. */
  problem = $state<string | null>(null);
  /** The whole of a clip that is looked at. */
  whole = $state.raw<Detail | null>(null);
  /** What clean-ups make of a clip. */
  tidied = $state.raw<{ names: string; answer: Tidied } | null>(null);
  /** A text that is being edited. */
  editing = $state.raw<Row | null>(null);
  batch = $state.raw<Batch | null>(null);
  /** Capture is paused. */
  paused = $state(false);
  /** What was pressed before it is known what was typed before the window was there. */
  #early: Ask[] | null = [];
  #first: Wish;
  /** It was opened, and is there. */
  isOpen = false;
  /** Clears what a search finds, or everything, once that is confirmed. */
  clear: (query: string) => Promise<boolean> = () => Promise.resolve(false);
  /** Called when it is left and can't be closed. */
  onLeave: () => void = () => {};

  constructor(
    private service: Service,
    private rows: Rows,
    private acts: Acts,
    private messages: Messages,
    private page: Page,
  ) {
    [this.#machine, this.#first] = Picker.open(page.kept(SWAPPED) === 'yes');
  }

  /** Opens it anew. */
  open(): void {
    [this.#machine, this.#first] = Picker.open(this.page.kept(SWAPPED) === 'yes');
    this.#early = [];
    this.isOpen = true;
    this.acts.onTaken = () => this.#taken(!this.#machine.stays);
    this.#wish([this.#first]);
    void this.#readBatch();
    this.service.typed().then(
      ({ by_chord, asks }) => this.#typed(by_chord, asks),
      () => this.#typed(false, []),
    );
  }

  /** What was typed before comes first; what stands in the field then comes after it. */
  #typed(byChord: boolean, asks: Ask[]): void {
    this.byChord = byChord;
    const early = this.#early ?? [];
    this.#early = null;
    const done: Wish[] = [];
    for (const ask of asks) {
      done.push(...this.#machine.ask(ask));
      // What was pressed after the key that closes it is nobody's.
      if (done.some((one) => one.do === 'close')) break;
    }
    const before = this.#machine.query;
    for (const ask of early) done.push(...this.#machine.ask(ask.ask === 'write' ? { ask: 'write', with: before + ask.with } : ask));
    this.#wish(done);
  }

  press(ask: Ask): void {
    if (this.#early) {
      this.#early.push(ask);
      return;
    }
    this.messages.dismiss();
    this.#wish(this.#machine.ask(ask));
  }

  resize(page: number): void {
    this.#machine.resize(page);
    this.#draw();
  }

  get text(): string {
    return this.now.tidying?.find ?? this.now.query;
  }

  /** The two ways to take change places, here and from now on. */
  swap(): void {
    this.#machine.swapped = !this.#machine.swapped;
    this.page.keep(SWAPPED, this.#machine.swapped ? 'yes' : null);
    this.#draw();
  }

  /** The editor was left. */
  edited(): void {
    this.editing = null;
    this.#wish([this.#machine.changed()]);
  }

  /** Capture pauses until it is resumed, or goes on. */
  async pause(): Promise<void> {
    const paused = (await this.service.status()).capture.state === 'paused';
    const status = await (paused ? this.service.resume() : this.service.pause(null));
    this.paused = status.capture.state === 'paused';
    this.messages.tell(this.paused ? t('Paused: nothing that is copied is kept until you resume.') : t('Copies are kept again from now on.'));
  }

  async undo(): Promise<void> {
    await this.acts.undo();
    this.#wish([this.#machine.changed()]);
  }

  #draw(): void {
    this.now = Object.assign(new Picker(), this.#machine);
  }

  #wish(wishes: Wish[]): void {
    for (const wish of wishes) void this.#carryOut(wish).catch((why: unknown) => this.messages.fail(why));
    this.#draw();
  }

  async #carryOut(wish: Wish): Promise<void> {
    switch (wish.do) {
      case 'list':
        return this.#list(wish.with);
      case 'take': {
        const { id, paste, plain, tidy, close } = wish.with;
        const into = close ? ('behind' as const) : ('behind-and-back' as const);
        const how = { ...(tidy.length > 0 ? { tidy } : {}), ...(paste && this.byChord ? { paste: into } : {}) };
        return this.acts.take(id, plain ? 'plain' : 'ready', {}, how);
      }
      case 'pin':
        return this.acts.pin([wish.with]);
      case 'remove':
        if (await this.acts.remove([wish.with])) this.#machine.gone(wish.with);
        return this.#draw();
      case 'gather': {
        const done = await this.acts.run([], () => this.service.addToHand([wish.with]), ({ made }) => (made ? t('A batch was begun with it.') : t('It is in the batch.')));
        return done ? this.#readBatch() : undefined;
      }
      case 'hand-out':
        return this.#handOut(wish.with.paste && this.byChord, wish.with.close);
      case 'clear':
        return (await this.clear(wish.with.query)) ? this.#wish([this.#machine.changed()]) : undefined;
      case 'pause':
        return this.pause();
      case 'undo':
        return this.undo();
      case 'whole': {
        this.whole = null;
        const detail = await this.service.detail(wish.with);
        if (this.#machine.whole === wish.with) this.whole = detail;
        return;
      }
      case 'preview': {
        const { id, tidy } = wish.with;
        this.tidied = tidy.length > 0 ? this.tidied : null;
        if (tidy.length === 0) return;
        const answer = await this.service.tidied(id, tidy);
        const { tidying } = this.#machine;
        if (tidying?.id === id && tidying.meant().join() === tidy.join()) this.tidied = { names: tidy.join(), answer };
        return;
      }
      case 'edit': {
        const row = this.rows.get(wish.with);
        if (row && (row.kind === 'text' || row.kind === 'link')) this.editing = row;
        else this.messages.tell(t('Only texts and links can be edited.'), { wrong: true });
        return;
      }
      case 'close':
        return this.#close();
    }
  }

  async #list(wanted: Wanted): Promise<void> {
    try {
      const { rows, more, total } = await this.service.pickable(wanted);
      this.rows.put(...rows);
      if (total !== null) this.total = total;
      if (wanted.number === this.#machine.asked) this.problem = null;
      this.#wish(this.#machine.listed(wanted.number, rows.map(({ id }) => id), more));
    } catch (why) {
      if (wanted.number === this.#machine.asked) this.problem = why instanceof Failure ? [why.message, why.hint].filter(Boolean).join(': ') : String(why);
      this.#machine.failed(wanted.number);
      this.#draw();
    }
  }

  async #handOut(paste: boolean, close: boolean): Promise<void> {
    const { item, batch } = await this.service.hand('-', 'next', undefined, paste ? (close ? 'behind' : 'behind-and-back') : undefined);
    this.batch = batch;
    this.messages.tell(`${paste ? t('Pasted {place} of {items}.', { place: item?.place ?? 0, items: count(batch.items, 'item') }) : t('A paste now gives {place} of {items}.', { place: item?.place ?? 0, items: count(batch.items, 'item') })} ${nextWords(batch).slice(0, 120)}`);
    this.#taken(close);
  }

  #taken(close: boolean): void {
    if (close && this.byChord) this.page.close();
  }

  #close(): void {
    if (this.byChord) this.page.close();
    else this.onLeave();
  }

  async #readBatch(): Promise<void> {
    const status = await this.service.status().catch(() => null);
    const batch = status?.batch;
    this.paused = status?.capture.state === 'paused';
    this.batch = batch && (batch.gathering || batch.left > 0) ? batch : null;
  }
}
