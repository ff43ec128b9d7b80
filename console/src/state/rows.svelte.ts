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
  #asking = new Set<string>();

  constructor(private service: Service) {}

  get(id: string): Row | undefined {
    void this.version;
    return this.#rows.get(id);
  }

  /** Remembers rows that came with something else. */
  put(...rows: Row[]): void {
    if (this.#rows.size > ROWS) this.#rows.clear();
    rows.forEach((row) => this.#rows.set(row.id, row));
    this.version++;
  }

  forget(id: string): void {
    this.#rows.delete(id);
  }

  clear(): void {
    this.#rows.clear();
    this.version++;
  }

  /** Fetches the rows among `ids` that are not here yet; and, once some of `near` are not, all of `wide`, after those. */
  async need(ids: string[], near: () => string[] = () => [], wide: () => string[] = near): Promise<void> {
    const isMissing = (id: string) => !this.#rows.has(id) && !this.#asking.has(id);
    const inSight = ids.filter(isMissing);
    // What is in sight does not wait for what is not.
    const missing = (inSight.length > 0 ? inSight : near().some(isMissing) ? wide().filter(isMissing) : []).slice(0, AT_ONCE);
    if (missing.length === 0) return;
    missing.forEach((id) => this.#asking.add(id));
    try {
      this.put(...(await this.service.rows(missing)));
    } finally {
      missing.forEach((id) => this.#asking.delete(id));
    }
  }

  detail = (id: string): Promise<Detail> => this.service.detail(id);
}
