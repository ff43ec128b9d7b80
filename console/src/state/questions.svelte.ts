// A question that is asked before something is done. The answer that leaves everything as it is is the one that is offered.
import type { Row } from '../api/types';

export interface Question {
  title: string;
  /** What it would do, line by line. */
  lines: string[];
  /** Some of the clips it would touch. */
  sample: Row[];
  /** What the buttons say. */
  yes: string;
  no: string;
}

export class Questions {
  now = $state.raw<Question | null>(null);
  #answer: (yes: boolean) => void = () => {};

  /** Asks, and waits for the answer. A question that was still open is answered with no. */
  ask(question: Question): Promise<boolean> {
    this.#answer(false);
    this.now = question;
    return new Promise((resolve) => (this.#answer = resolve));
  }

  answer(yes: boolean): void {
    const answer = this.#answer;
    this.#answer = () => {};
    this.now = null;
    answer(yes);
  }
}
