// What is selected, unfolded, chosen for an act on several, and open in the unfolded clip.
import { knowing, neighbourIn } from './listed';
import type { Sight } from './sight.svelte';

/** What can be open in an unfolded clip. */
export type Panel = 'title' | 'drawer' | 'color' | 'edit' | 'compare' | 'tidy' | 'send';

export class Selection {
  selected = $state<string | null>(null);
  unfolded = $state<string | null>(null);
  /** Clips marked for an act on several. */
  chosen = $state.raw<ReadonlySet<string>>(new Set());
  panel = $state<Panel | null>(null);
  /** What is open for all that are chosen. */
  several = $state<'drawer' | 'color' | null>(null);

  /** What is being dragged. */
  dragged = $state.raw<string[]>([]);

  /** To be selected and shown when it arrives. */
  #wanted: string | null = null;
  /** The last was asked for, of a list that is still being read. */
  #toTheLast = false;

  constructor(private sight: Sight) {
    sight.onChanged = (before) => this.#follow(before);
  }

  /** Something would be lost or confused if the list moved now. */
  get isBusy(): boolean {
    return this.selected !== null || this.chosen.size > 0 || this.panel !== null;
  }

  /** One has come to another list. */
  begin(selected: string | null = null): void {
    this.unchoose();
    this.panel = null;
    this.unfolded = null;
    this.selected = selected;
    this.#wanted = null;
    this.#toTheLast = false;
  }

  /** Selects something. What is open in another clip stays open there while something is being typed in it. */
  select(id: string | null): void {
    this.#toTheLast = false;
    if (id === this.selected) return;
    if (this.panel !== null) this.panel = null;
    if (this.unfolded !== null) this.unfolded = this.unfolded === this.selected ? id : null;
    this.selected = id;
    if (id === null) this.sight.release();
  }

  /** Selects a clip: now, if it is listed already, or when it arrives. */
  await(id: string | null): void {
    if (id !== null && this.sight.has(id)) this.select(id);
    else this.#wanted = id;
  }

  /** The list has changed: what was awaited may be there. */
  came(): void {
    if (this.#wanted === null || !this.sight.has(this.#wanted)) return;
    const id = this.#wanted;
    this.#wanted = null;
    this.select(id);
  }

  /** What has left the list is let go of; its neighbour is at hand, so that removing can go on. */
  #follow(before: readonly string[]): void {
    if (this.chosen.size > 0) {
      const there = knowing(this.sight.now.ids);
      this.choose([...this.chosen].filter((id) => !there(id)), false);
    }
    const { selected } = this;
    if (selected === null || this.sight.has(selected)) return;
    const unfolded = this.unfolded === selected;
    const neighbour = neighbourIn(before, this.sight.now.ids, selected);
    this.panel = null;
    this.selected = neighbour;
    this.unfolded = unfolded ? neighbour : null;
  }

  /** These are about to go: their neighbour is selected now, so that the next key means what one sees. */
  stepOff(going: string[]): void {
    const { selected } = this;
    if (selected === null || !going.includes(selected)) return;
    const { ids } = this.sight.now;
    const at = this.sight.place(selected);
    const all = new Set(going);
    const stays = (id: string) => !all.has(id);
    const next = ids.slice(at + 1).find(stays) ?? ids.slice(0, Math.max(at, 0)).findLast(stays);
    if (next !== undefined) this.select(next);
  }

  /** Moves the selection by some rows; from nothing, to the first. */
  step(by: number): void {
    const { ids } = this.sight.now;
    if (ids.length === 0) return;
    const here = this.sight.place(this.selected);
    const toTheEnd = by >= ids.length;
    const there = here < 0 && !toTheEnd ? 0 : Math.max(0, Math.min(ids.length - 1, here + by));
    this.select(ids[there] ?? null);
  }

  /** Selects the last there is. While more is being read behind it, it goes along, until something else is selected. */
  last(more: boolean): void {
    this.select(this.sight.now.ids.at(-1) ?? null);
    this.#toTheLast = more;
  }

  /** More has been read behind what was there. */
  extended(more: boolean): void {
    if (this.#toTheLast && this.panel === null && this.unfolded === null) this.last(more);
  }

  /** Unfolds a clip with something open in it; closes that when it is open already. */
  open(id: string, panel: Panel): void {
    const again = this.selected === id && this.panel === panel;
    this.select(id);
    this.unfolded = id;
    this.panel = again ? null : panel;
  }

  toggle(id: string): void {
    const open = this.unfolded === id;
    this.select(id);
    this.panel = null;
    this.unfolded = open ? null : id;
  }

  /** Closes what was opened last. False when nothing was open. */
  close(): boolean {
    if (this.several) this.several = null;
    else if (this.panel) this.panel = null;
    else if (this.unfolded) this.unfolded = null;
    else if (this.chosen.size > 0) this.unchoose();
    else return false;
    this.sight.release();
    return true;
  }

  /** Marks clips for an act on several, or unmarks them. */
  choose(ids: string[], on: boolean): void {
    const chosen = new Set(this.chosen);
    const { now } = this.sight;
    // Dividers are moved and named one by one.
    const dividers = new Set(now.ids.filter((_, n) => now.kinds[n] === 'd'));
    ids.filter((id) => !dividers.has(id)).forEach((id) => (on ? chosen.add(id) : chosen.delete(id)));
    this.chosen = chosen;
    if (chosen.size === 0) this.several = null;
  }

  unchoose(): void {
    this.chosen = new Set();
    this.several = null;
  }

  /** Marks everything between the selected clip and this one. */
  chooseTo(id: string): void {
    const [here, there] = [this.sight.place(this.selected ?? id), this.sight.place(id)];
    if (here < 0 || there < 0) return;
    this.choose(this.sight.now.ids.slice(Math.min(here, there), Math.max(here, there) + 1), true);
  }

  /** What an act on a clip is about: all that are marked, in the order of the list, or that clip. */
  subjects(id: string): string[] {
    return this.chosen.size > 0 ? this.chosenInOrder : [id];
  }

  get chosenInOrder(): string[] {
    void this.sight.version;
    return this.chosen.size === 0 ? [] : this.sight.now.ids.filter((one) => this.chosen.has(one));
  }
}
