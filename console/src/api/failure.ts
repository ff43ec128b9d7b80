// Why a call was not carried out.
import type { Problem } from './types';
import { t } from '../language/language.svelte';

export class Failure extends Error {
  /** `status` 0: nobody answered. */
  constructor(
    readonly status: number,
    readonly problem: Problem | null,
  ) {
    super(problem ? problem.detail : t('the service does not answer'));
  }

  /** The next step, where one is known. */
  get hint(): string | null {
    return this.problem?.hint ?? null;
  }
}
