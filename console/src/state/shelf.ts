// What is kept in one place, in the person's own order, kept in step with the service by its events. No framework here:
// it is tested by feeding it.
import type { KeptOutline, Row } from '../api/types';
import { kindLetter } from './chronicle';
import type { Listed } from './listed';

const ID = 26;

/** Ranks sort by their bytes, clips before dividers, then by id: the characters of all three are of ASCII. */
const keyOf = (rank: string, kind: string, id: string): string => `${rank}\u0000${kind === 'd' ? 1 : 0}${id}`;

export class Shelf implements Listed {
  ids: string[] = [];
  kinds: string[] = [];
  times: number[] = [];
  /** The words of dividers, by id. */
  names = new Map<string, string>();
  #keys: string[] = [];

  /** `drawer`: its id; `null` for the favorites. */
  constructor(readonly drawer: string | null) {}

  load(outline: KeptOutline): void {
    this.names = new Map(outline.dividers.map((one) => [one.id, one.name]));
    // What was moved while parts of it were read may be in two of them: where it was read last.
    const clips = new Map<string, [string, string, string]>();
    outline.ranks.forEach((rank, n) => {
      const [id, kind] = [outline.ids.slice(n * ID, (n + 1) * ID), outline.kinds[n] ?? 't'];
      clips.set(id, [keyOf(rank, kind, id), id, kind]);
    });
    const dividers = outline.dividers.map((one): [string, string, string] => [keyOf(one.rank, 'd', one.id), one.id, 'd']);
    const all = [...clips.values(), ...dividers].sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
    this.#keys = all.map(([key]) => key);
    this.ids = all.map(([, id]) => id);
    this.kinds = all.map(([, , kind]) => kind);
    this.times = all.map(() => 0);
  }

  /** How many clips there are. */
  get clips(): number {
    return this.ids.length - this.names.size;
  }

  /** A clip is new, has changed or has moved. True when that changes what is here. */
  update(row: Row): boolean {
    const here = row.kept !== undefined && row.kept !== null && (row.kept.drawer ?? null) === this.drawer;
    const from = this.ids.indexOf(row.id);
    if (!here) return from >= 0 && this.#takeOut(from);
    const kind = kindLetter(row);
    const key = keyOf(row.kept?.rank ?? '', kind, row.id);
    if (from >= 0) {
      if (this.#keys[from] === key) return false;
      this.#takeOut(from);
    }
    let [low, high] = [0, this.#keys.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.#keys[middle] ?? '') < key) low = middle + 1;
      else high = middle;
    }
    this.#keys.splice(low, 0, key);
    this.ids.splice(low, 0, row.id);
    this.kinds.splice(low, 0, kind);
    this.times.splice(low, 0, 0);
    return true;
  }

  /** A clip has left the history. */
  leave(id: string): boolean {
    const at = this.ids.indexOf(id);
    return at >= 0 && this.#takeOut(at);
  }

  #takeOut(at: number): true {
    this.#keys.splice(at, 1);
    this.ids.splice(at, 1);
    this.kinds.splice(at, 1);
    this.times.splice(at, 1);
    return true;
  }
}
