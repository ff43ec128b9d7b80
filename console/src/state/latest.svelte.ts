// What is read of something that changes: what was read last stays on the screen until it has been read anew.

/** An answer that was overtaken by a later question is none. */
export class Latest<T> {
  value = $state.raw<T | null>(null);
  /** Why it could not be read. */
  problem = $state('');
  #asked: Promise<T> | null = null;

  /** Nothing is asked any more. */
  clear(): void {
    [this.value, this.problem, this.#asked] = [null, '', null];
  }

  read(asked: Promise<T>): void {
    this.#asked = asked;
    asked.then(
      (value) => asked === this.#asked && ([this.value, this.problem] = [value, '']),
      (why: unknown) => asked === this.#asked && (this.problem = why instanceof Error ? why.message : String(why)),
    );
  }
}
