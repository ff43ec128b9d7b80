// Pictures fetched with the key and handed to <img> as object addresses; the least recently used are let go.
import type { Service } from './service';

const MOST = 120;

export class Pictures {
  #urls = new Map<string, Promise<string>>();

  constructor(private service: Service) {}

  get(id: string, most: number): Promise<string> {
    const key = `${id}:${most}`;
    const known = this.#urls.get(key);
    if (known) {
      this.#urls.delete(key);
      this.#urls.set(key, known);
      return known;
    }
    const made = this.service.picture(id, most).then((blob) => URL.createObjectURL(blob));
    this.#urls.set(key, made);
    made.catch(() => this.#urls.delete(key));
    if (this.#urls.size > MOST) {
      const [oldest, url] = this.#urls.entries().next().value ?? [];
      if (oldest) {
        this.#urls.delete(oldest);
        void url?.then(URL.revokeObjectURL, () => {});
      }
    }
    return made;
  }
}
