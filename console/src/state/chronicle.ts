// The order of the history, kept in step with the service by its events. No framework here: it is tested by feeding it.
import type { ClipEvent, GoneEvent, Outline, Row } from '../api/types';

const ID = 26;

/** What an event did to the order. Places count from 0. */
export interface Moved {
  id: string;
  from: number | null;
  to: number | null;
}

export class Chronicle {
  ids: string[] = [];
  kinds: string[] = [];
  times: number[] = [];
  revision = 0;

  load(outline: Outline): void {
    const count = outline.kinds.length;
    this.ids = Array.from({ length: count }, (_, n) => outline.ids.slice(n * ID, (n + 1) * ID));
    this.kinds = [...outline.kinds];
    let at = 0;
    this.times = outline.times.map((step, n) => (at = n === 0 ? step : at - step));
    this.revision = outline.revision;
  }

  /** A clip is new or has moved. `null`: already known. `'gap'`: something was missed, load anew. */
  arrive(event: ClipEvent): Moved | null | 'gap' {
    const known = this.#follow(event.revision);
    if (known !== true) return known;
    const from = event.before === undefined || event.before === null ? null : event.before - 1;
    if (from !== null && !this.#takeOut(from, event.row.id)) return 'gap';
    const to = event.row.place - 1;
    if (to < 0 || to > this.ids.length) return 'gap';
    this.ids.splice(to, 0, event.row.id);
    this.kinds.splice(to, 0, kindLetter(event.row));
    this.times.splice(to, 0, Math.floor(event.row.copied_at / 1e6));
    return { id: event.row.id, from, to };
  }

  /** A clip has left. */
  leave(event: GoneEvent): Moved | null | 'gap' {
    const known = this.#follow(event.revision);
    if (known !== true) return known;
    return this.#takeOut(event.before - 1, event.id) ? { id: event.id, from: event.before - 1, to: null } : 'gap';
  }

  #follow(revision: number): true | null | 'gap' {
    if (revision <= this.revision) return null;
    if (revision !== this.revision + 1) return 'gap';
    this.revision = revision;
    return true;
  }

  #takeOut(place: number, id: string): boolean {
    if (this.ids[place] !== id) return false;
    this.ids.splice(place, 1);
    this.kinds.splice(place, 1);
    this.times.splice(place, 1);
    return true;
  }
}

const PICTURE_FILE = /\.(png|jpe?g|gif|webp|bmp|tiff?|svg)$/i;

export function kindLetter(row: Row): string {
  if (row.kind === 'files') return PICTURE_FILE.test(row.files?.[0] ?? '') ? 'p' : 'f';
  return row.kind.charAt(0);
}
