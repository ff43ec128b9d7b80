// The history with its oldest clips first. It is kept in step with the history by what has changed in it: what comes to one end
// there comes to the other end here, and nothing else moves. No framework here.
import type { Chronicle } from './chronicle';
import { Steady, type Listed } from './listed';

export class Turned {
  #ids: string[] = [];
  #kinds: string[] = [];
  #times: number[] = [];
  #steady = new Steady('first');
  #watched: Steady;

  constructor(private chronicle: Chronicle) {
    this.#watched = chronicle.watch();
  }

  /** As the history is now. The lists are those that were given before, changed. */
  follow(): Listed {
    const { ids, kinds, times } = this.chronicle;
    const same = Math.min(this.#watched.ask(ids.length), this.#ids.length, ids.length);
    if (same < Math.max(ids.length, this.#ids.length)) {
      this.#steady.keep(same);
      for (const list of [this.#ids, this.#kinds, this.#times]) list.length = same;
      for (let n = ids.length - 1 - same; n >= 0; n--) {
        this.#ids.push(ids[n] ?? '');
        this.#kinds.push(kinds[n] ?? 't');
        this.#times.push(times[n] ?? 0);
      }
    }
    return { ids: this.#ids, kinds: this.#kinds, times: this.#times, steady: this.#steady };
  }
}
