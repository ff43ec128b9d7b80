// What is kept: the drawers, the favorites, and the place that is open, read anew whenever something of it changes.
import type { Drawer, Item, Row } from '../api/types';
import type { Service } from '../border/service';
import type { Page } from './page';

/** Things of a place that are read at once. */
const PAGE = 500;

export const itemId = (item: Item): string => ('clip' in item ? item.clip.id : item.divider.id);

export class Kept {
  drawers = $state.raw<Drawer[]>([]);
  favoriteCount = $state(0);
  /** The first favorites: what is at hand. */
  first = $state.raw<Row[]>([]);
  /** What is in the open place: the favorites (`null`) or a drawer. */
  drawer = $state.raw<Drawer | null>(null);
  items = $state.raw<Item[]>([]);
  total = $state(0);
  loaded = $state(false);

  #place: string | null | undefined;
  #callOff: () => void = () => {};

  constructor(
    private service: Service,
    private page: Page,
  ) {}

  /** Opens the favorites (`null`) or a drawer; `undefined` for neither. */
  open(place: string | null | undefined): void {
    if (this.#place === place) return;
    this.#place = place;
    this.loaded = false;
    this.items = [];
    void this.read();
  }

  /** Something has changed: read anew, once for many changes. */
  refresh(): void {
    this.#callOff();
    this.#callOff = this.page.after(60, () => void this.read().catch(() => {}));
  }

  async read(): Promise<void> {
    const place = this.#place;
    const wanted = Math.max(PAGE, this.items.length);
    const [all, first] = await Promise.all([this.service.drawers(), this.service.favorites(0, 9)]);
    this.drawers = all.drawers;
    this.favoriteCount = all.favorites;
    this.first = first.items.flatMap((item) => ('clip' in item ? [item.clip] : []));
    if (place === undefined) return;
    const read = await this.#some(place, 0, wanted);
    if (this.#place !== place) return;
    this.drawer = read.drawer ?? null;
    this.items = read.items;
    this.total = read.total;
    this.loaded = true;
  }

  /** Reads on where the list ends. */
  async readOn(): Promise<void> {
    const place = this.#place;
    if (place === undefined) return;
    const more = await this.#some(place, this.items.length, PAGE);
    if (this.#place === place) this.items = [...this.items, ...more.items];
  }

  async #some(place: string | null, skip: number, limit: number) {
    const one = (from: number) =>
      place === null ? this.service.favorites(from, PAGE) : this.service.items(place, from, PAGE);
    const read = await one(skip);
    while (read.items.length < limit && skip + read.items.length < read.total) {
      const next = await one(skip + read.items.length);
      if (next.items.length === 0) break;
      read.items.push(...next.items);
    }
    return read;
  }

  /** Drawers whose name or group holds a text. */
  called(text: string): Drawer[] {
    const wanted = text.trim().toLowerCase();
    return this.drawers.filter((one) => `${one.name}\n${one.group ?? ''}`.toLowerCase().includes(wanted));
  }
}
