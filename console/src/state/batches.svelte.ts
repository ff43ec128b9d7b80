// Batches: which there are, which one is looked at, what is in it, and handing it out. What a person chose stays chosen,
// whatever happens to the batch elsewhere.
import { Failure } from '../api/failure';
import type { Acted, Batch, BatchesEvent, BatchItem, ChangeBatch, HandOut, Parts, Split } from '../api/types';
import type { Service } from '../border/service';
import type { Acts } from './acts.svelte';
import type { Messages } from './messages.svelte';
import type { Page } from './page';
import { count, shown } from './words';
import { t } from '../language/language.svelte';

/** Items that are read at once: as many as the service gives. */
const PART = 500;

/** What an item is, in one line. */
export function itemWords(item: BatchItem): string {
  if (item.size === 0) return t('Stays empty');
  if (item.kind === 'image') return item.picture ? t('Picture, {width} × {height}', { width: item.picture.width, height: item.picture.height }) : t('Picture');
  if (item.kind === 'files') return item.files?.map((one) => shown(one)).join(' · ') ?? t('Files');
  return shown(item.head.trim().replace(/\s+/g, ' ')) || t('White space');
}

/** The same with the name of its field. */
export const itemName = (item: BatchItem): string => (item.label ? `${shown(item.label)}: ${itemWords(item)}` : itemWords(item));

/** What a batch is called. */
export const batchName = (batch: Batch): string => (batch.name ? shown(batch.name) : t('Batch of {items}', { items: count(batch.items, 'item') }));

/** What is next in it, in words. */
export function nextWords(batch: Batch): string {
  const { next } = batch;
  if (!next) return batch.items === 0 ? t('Nothing is in it yet.') : t('At its end: all {items} were handed out.', { items: batch.items });
  const holes = { place: next.place, items: batch.items, next: itemName(next), record: next.record, records: batch.records, field: next.field, fields: batch.fields };
  return batch.records > 1 ? t('Next is {place} of {items}, record {record} of {records}, field {field} of {fields}: {next}', holes) : t('Next is {place} of {items}: {next}', holes);
}

export class Batches {
  /** All of them, the one in hand first. */
  all = $state.raw<Batch[]>([]);
  loaded = $state(false);
  /** The one that is looked at: the one in hand, unless another one was chosen. */
  chosen = $state<string | null>(null);
  items = $state.raw<BatchItem[]>([]);
  /** The number of the item that is selected. */
  selected = $state<number | null>(null);

  #of = '';
  #reading = 0;

  constructor(
    private service: Service,
    private acts: Acts,
    private messages: Messages,
    private page: Page,
  ) {}

  get inHand(): Batch | null {
    return this.all.find((one) => one.in_hand) ?? null;
  }

  /** The one that is looked at. */
  get open(): Batch | null {
    return this.all.find((one) => one.id === this.chosen) ?? this.all[0] ?? null;
  }

  /** Reads them, and what is in the one that is looked at: as much as there is, a part at a time. */
  async read(): Promise<void> {
    const turn = ++this.#reading;
    const all = (await this.service.batches()).batches;
    if (turn !== this.#reading) return;
    this.all = all;
    this.loaded = true;
    const { open } = this;
    const items: BatchItem[] = [];
    while (open && items.length < open.items) {
      const part = await this.service.batchItems(open.id, items.length, PART);
      if (turn !== this.#reading) return;
      if (part.items.length === 0) break;
      items.push(...part.items);
    }
    const same = this.#of === (open?.id ?? '');
    this.#of = open?.id ?? '';
    this.items = items;
    if (!same || !items.some((item) => item.id === this.selected)) this.selected = null;
  }

  #again: () => void = () => {};

  /** Something of them has changed: the one in hand shows it at once, the rest is read anew, once for many changes. */
  heard(event: BatchesEvent | null): void {
    const now = event?.in_hand;
    if (now && this.all.some((one) => one.id === now.id)) {
      this.all = this.all.map((one) => (one.id === now.id ? now : { ...one, in_hand: false }));
    }
    this.#again();
    this.#again = this.page.after(60, () => void this.read().catch(() => {}));
  }

  async look(id: string): Promise<void> {
    this.chosen = id;
    this.items = [];
    await this.read().catch((why: unknown) => this.messages.fail(why));
  }

  /** Moves the selection by so many. */
  step(by: number): void {
    const at = this.items.findIndex((item) => item.id === this.selected);
    const from = at >= 0 ? at : by > 0 ? (this.open?.handed ?? 0) - 1 : (this.open?.handed ?? 0);
    const to = Math.max(0, Math.min(this.items.length - 1, from + by));
    this.selected = this.items[to]?.id ?? null;
  }

  /** Carries an act out on the one that is looked at. */
  async run(work: (id: string) => Promise<Acted>, words: string): Promise<Acted | null> {
    const { open } = this;
    if (!open) return null;
    const done = await this.acts.run([], () => work(open.id), () => words);
    await this.read().catch(() => {});
    return done;
  }

  change = (change: ChangeBatch, words: string): Promise<Acted | null> => this.run((id) => this.service.changeBatch(id, change), words);

  /** Begins one, and looks at it. */
  async begin(filling: { clips?: string[]; texts?: string[]; split?: Split }, change: ChangeBatch, words: string): Promise<boolean> {
    const done = await this.acts.run([], () => this.service.newBatch(filling, change), () => words);
    if (!done) return false;
    this.chosen = done.made ?? null;
    await this.read().catch(() => {});
    return true;
  }

  /** Clips go into the one in hand; where there is none, or it was handed out, into a new one. */
  async add(clips: string[]): Promise<void> {
    const what = count(clips.length, 'clip');
    const done = await this.acts.run([], () => this.service.addToHand(clips), ({ made }) => (made ? t('Began a batch with {what}.', { what }) : t('Added {what} to {batch}.', { what, batch: this.inHand ? batchName(this.inHand) : t('the batch') })));
    if (done?.made) this.chosen = done.made;
    await this.read().catch(() => {});
  }

  /** Copies join a new one from now on; or the one that gathers does so no longer. */
  async gather(): Promise<void> {
    const gathering = this.all.find((one) => one.gathering);
    if (!gathering) return void (await this.begin({}, { gathering: true }, t('Copies join a new batch from now on.')));
    const done = await this.acts.run([], () => this.service.changeBatch(gathering.id, { gathering: false }), () => t('Copies join it no longer.'));
    if (done) await this.read().catch(() => {});
  }

  /** Goes on through a batch. */
  async hand(out: HandOut, place?: number, id: string = this.open?.id ?? '-'): Promise<void> {
    try {
      const { item, batch } = await this.service.hand(id, out, place);
      this.chosen = batch.id;
      this.all = [batch, ...this.all.filter((one) => one.id !== batch.id).map((one) => ({ ...one, in_hand: false }))];
      const given = item ? `${t('A paste now gives {place} of {items}: {item}.', { place: item.place, items: batch.items, item: itemName(item).slice(0, 80) })} ` : '';
      this.messages.tell(`${given}${nextWords(batch).slice(0, 160)}${batch.next ? '.' : ''}`);
    } catch (why) {
      this.messages.fail(why);
    }
  }

  /** Moves an item by so many places. */
  async move(id: number, by: number): Promise<void> {
    const order = this.items.map((item) => item.id);
    const to = order.indexOf(id) + by;
    if (to < 0 || to >= order.length) return;
    await this.put(id, by < 0 ? order[to] : order[to + 1]);
    this.messages.say(t('Now {to} of {all}', { to: to + 1, all: order.length }));
  }

  /** Puts an item before another one, or (none) at the end. */
  put = (id: number, before: number | undefined): Promise<Acted | null> => this.run((batch) => this.service.moveItems(batch, [id], before), t('Moved.'));

  /** Drops an item; the one after it is selected then. */
  async drop(id: number): Promise<void> {
    const at = this.items.findIndex((item) => item.id === id);
    const after = this.items[at + 1] ?? this.items[at - 1];
    if (await this.run((batch) => this.service.dropItems(batch, [id]), t('Dropped from the batch.'))) this.selected = after?.id ?? null;
  }

  /** What splitting would make of a clip, or of a text. */
  try = (from: { clip?: string; text?: string }, split: Split): Promise<Parts | string> =>
    this.service.trySplit(from, split).catch((why: unknown) => (why instanceof Failure ? why.message : String(why)));
}
