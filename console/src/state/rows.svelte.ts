// The rows that are known, by id: fetched as they come into sight, kept up to date by events.
import type { Detail, Row } from '../api/types';
import type { Service } from '../border/service';

/** Rows remembered at most; those in sight are fetched again. */
const ROWS = 4_000;
/** Rows that are asked for at once. */
const AT_ONCE = 500;

export class Rows {
  /** Grows when rows have come or changed. */
  version = $state(0);

  #rows = new Map<string, Row>();
  /** What is being read, each with the answer that it comes with. */
  #asking = new Map<string, Promise<void>>();
  /** What the service does not have: it is not asked for again until it is told of. */
  #absent = new Set<string>();
  /** What was asked for last stays, whatever else is let go of. */
  #inSight: ReadonlySet<string> = new Set();

  constructor(private service: Service) {}

  get(id: string): Row | undefined {
    void this.version;
    return this.#rows.get(id);
  }

  /** Remembers rows that came with something else. */
  put(...rows: Row[]): void {
    if (this.#rows.size > ROWS) this.#letGo();
    rows.forEach((row) => {
      this.#rows.set(row.id, row);
      this.#absent.delete(row.id);
    });
    this.version++;
  }

  /** The older half goes. */
  #letGo(): void {
    for (const id of this.#rows.keys()) {
      if (this.#rows.size <= ROWS / 2) return;
      if (!this.#inSight.has(id)) this.#rows.delete(id);
    }
  }

  forget(id: string): void {
    this.#rows.delete(id);
  }

  clear(): void {
    this.#rows.clear();
    this.#absent.clear();
    this.version++;
  }

  /** What is in sight: fetched where it is not here yet; and, once some of `near` is not, all of `wide`, after that. */
  async see(ids: string[], near: () => string[], wide: () => string[]): Promise<void> {
    this.#inSight = new Set(ids);
    // What is in sight does not wait for what is not.
    if (ids.some((id) => this.#isMissing(id))) await this.need(ids);
    else if (near().some((id) => this.#isMissing(id))) await this.need(wide());
  }

  #isMissing = (id: string): boolean => !this.#rows.has(id) && !this.#asking.has(id) && !this.#absent.has(id);

  /** Fetches the rows among `ids` that are not here yet; done once all of them are, also those asked for before. */
  async need(ids: string[]): Promise<void> {
    const missing = ids.filter(this.#isMissing).slice(0, AT_ONCE);
    if (missing.length > 0) {
      const answer = this.#read(missing);
      missing.forEach((id) => this.#asking.set(id, answer));
    }
    await Promise.all(new Set(ids.map((id) => this.#asking.get(id))));
  }

  async #read(ids: string[]): Promise<void> {
    try {
      const rows = await this.service.rows(ids);
      if (this.#absent.size > ROWS) this.#absent.clear();
      ids.forEach((id) => this.#absent.add(id));
      this.put(...rows);
    } finally {
      ids.forEach((id) => this.#asking.delete(id));
    }
  }

  detail = (id: string, text = ''): Promise<Detail> => this.service.detail(id, text);
}
