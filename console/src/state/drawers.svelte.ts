// The drawers, and what is at hand: the first favorites with their numbers.
import type { Drawer } from '../api/types';
import type { Service } from '../border/service';
import type { List } from './list.svelte';
import type { Page } from './page';

/** How long something must have stood beside its number before the number means it, in milliseconds. */
const STEADY = 500;
const SLOTS = 9;

/** What stands beside a number, since when, and what stood there long enough before. */
interface Slot {
  id: string | null;
  since: number;
  before: string | null;
}

export class Drawers {
  all = $state.raw<Drawer[]>([]);
  /** They have been read. */
  loaded = $state(false);
  /** The first favorites as they are on the screen: ids. They stay while the pointer is on them. */
  first = $state.raw<string[]>([]);
  pointer = $state(false);
  /** Their numbers can be seen. */
  visible = $state(false);

  #slots: Slot[] = Array.from({ length: SLOTS }, () => ({ id: null, since: 0, before: null }));
  #begun = false;
  #callOff: () => void = () => {};

  constructor(
    private service: Service,
    private list: List,
    private page: Page,
  ) {}

  /** Something of them has changed: read anew, once for many changes. */
  refresh(): void {
    this.#callOff();
    this.#callOff = this.page.after(60, () => void this.read().catch(() => {}));
  }

  async read(): Promise<void> {
    const all = await this.service.drawers();
    this.all = all.drawers;
    this.loaded = true;
  }

  get(id: string): Drawer | null {
    return this.all.find((one) => one.id === id) ?? null;
  }

  /** Drawers whose name or group holds a text. */
  called(text: string, among: Drawer[] = this.all): Drawer[] {
    const wanted = text.trim().toLowerCase();
    return among.filter((one) => `${one.name}\n${one.group ?? ''}`.toLowerCase().includes(wanted));
  }

  /** The favorites may have changed: what is at hand follows, unless the pointer is on it. */
  settle(): void {
    if (this.pointer) return;
    const first = this.list.favorites.ids.slice(0, SLOTS);
    if (first.length === this.first.length && first.every((id, n) => id === this.first[n])) return;
    this.first = first;
    const now = this.page.now();
    // What is there from the beginning has replaced nothing.
    const begins = !this.#begun && this.list.favoritesRead;
    this.#begun ||= begins;
    this.#slots.forEach((slot, n) => {
      const id = first[n] ?? null;
      if (id === slot.id) return;
      if (now - slot.since >= STEADY) slot.before = slot.id;
      slot.id = id;
      slot.since = begins ? 0 : now;
    });
  }

  /** What a number means now: what has stood beside it for long enough. */
  meant(number: number): string | null {
    const slot = this.#slots[number - 1];
    if (!slot) return null;
    return this.page.now() - slot.since >= STEADY ? slot.id : slot.before;
  }
}
