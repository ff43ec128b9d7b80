// What is selected, unfolded, chosen for an act on several, and open in the unfolded clip.
import type { List } from './list.svelte';
import type { Place } from './place.svelte';

/** What can be open in an unfolded clip. */
export type Panel = 'title' | 'drawer' | 'color' | 'edit' | 'compare';

export class Selection {
  selected = $state<string | null>(null);
  unfolded = $state<string | null>(null);
  /** Clips marked for an act on several. */
  chosen = $state.raw<ReadonlySet<string>>(new Set());
  panel = $state<Panel | null>(null);

  /** To be selected and shown when it arrives. */
  #wanted: string | null = null;
  /** What was selected in the history when one left it. */
  #inHistory: string | null = null;
  #here: Place['view'] = 'history';

  constructor(private list: List) {
    list.onLeft = (id, neighbour) => this.#letGo(id, neighbour);
  }

  /** One has come to a place: in the history what was selected there is selected again. */
  enter(place: Place): void {
    if (this.#here === 'history') this.#inHistory = this.selected;
    this.#here = place.view;
    this.unchoose();
    this.unfolded = null;
    this.panel = null;
    this.selected = place.view === 'history' ? this.#inHistory : null;
  }

  select(id: string | null): void {
    if (this.unfolded !== null && this.unfolded === this.selected && id !== null) this.unfolded = id;
    if (id !== this.selected) this.panel = null;
    this.selected = id;
    if (id === null) this.unfolded = null;
  }

  /** Selects a clip: now, if it is listed already, or when it arrives. */
  await(id: string | null): void {
    if (id !== null && this.list.place(id) >= 0) this.select(id);
    else this.#wanted = id;
  }

  /** A clip has arrived. */
  came(id: string): void {
    if (this.#wanted !== id) return;
    this.#wanted = null;
    this.select(id);
  }

  /** The whole history was read anew. */
  reloaded(): void {
    if (this.selected && !this.list.chronicle.ids.includes(this.selected)) this.select(null);
  }

  /** A clip has gone: the neighbour is at hand, so that removing can go on. */
  #letGo(id: string, neighbour: string | null): void {
    if (this.chosen.has(id)) this.choose([id], false);
    // Among kept things, the neighbour is another one: their page knows it.
    if (this.selected === id && this.#here === 'history') {
      const wasUnfolded = this.unfolded === id;
      this.select(neighbour);
      this.unfolded = wasUnfolded ? this.selected : this.unfolded;
      this.panel = null;
    } else if (this.unfolded === id) this.unfolded = null;
  }

  /** Moves the selection by some rows; from nothing, to the newest. */
  step(by: number): void {
    const { ids } = this.list.shown;
    if (ids.length === 0) return;
    const here = this.list.place(this.selected);
    const toTheEnd = by >= ids.length;
    const there = here < 0 && !toTheEnd ? 0 : Math.max(0, Math.min(ids.length - 1, here + by));
    this.select(ids[there] ?? null);
  }

  /** Unfolds a clip with something open in it; closes that when it is open already. */
  open(id: string, panel: Panel): void {
    this.selected = id;
    this.unfolded = id;
    this.panel = this.panel === panel ? null : panel;
  }

  toggle(id: string): void {
    this.panel = null;
    this.selected = id;
    this.unfolded = this.unfolded === id ? null : id;
  }

  /** Closes what was opened last. False when nothing was open. */
  close(): boolean {
    if (this.panel) this.panel = null;
    else if (this.unfolded) this.unfolded = null;
    else if (this.chosen.size > 0) this.unchoose();
    else return false;
    return true;
  }

  /** Marks clips for an act on several, or unmarks them. */
  choose(ids: string[], on: boolean): void {
    const chosen = new Set(this.chosen);
    ids.forEach((id) => (on ? chosen.add(id) : chosen.delete(id)));
    this.chosen = chosen;
  }

  unchoose(): void {
    this.chosen = new Set();
  }

  /** Marks everything between the selected clip and this one. */
  chooseTo(id: string): void {
    const [here, there] = [this.list.place(this.selected ?? id), this.list.place(id)];
    if (here < 0 || there < 0) return;
    this.choose(this.list.shown.ids.slice(Math.min(here, there), Math.max(here, there) + 1), true);
  }

  /** What an act on the selected clip is about: all that are marked, or that clip. */
  subjects(id: string): string[] {
    return this.chosen.size > 0 ? this.list.shown.ids.filter((one) => this.chosen.has(one)) : [id];
  }
}
