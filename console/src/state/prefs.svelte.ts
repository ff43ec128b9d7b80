// What the person prefers here: order, how many are shown, a sound, whether the first start was seen. Kept by the browser.
import { msg } from '../language/language.svelte';
import type { Page } from './page';

const STORED = 'yadori.prefs';

export const MOST: [number, string][] = [
  [50, '50'],
  [200, '200'],
  [1_000, '1,000'],
  [Number.MAX_SAFE_INTEGER, msg('all')],
];

export class Prefs {
  order = $state<'newest' | 'oldest'>('newest');
  most = $state(Number.MAX_SAFE_INTEGER);
  /** A sound at each copy, from this page. */
  sound = $state(false);
  welcomed = $state(false);

  constructor(private page: Page) {
    try {
      const known = JSON.parse(page.kept(STORED) ?? '{}') as Record<string, unknown>;
      if (known.order === 'oldest') this.order = 'oldest';
      if (typeof known.most === 'number' && known.most > 0) this.most = known.most;
      this.sound = known.sound === true;
      this.welcomed = known.welcomed === true;
    } catch {
      // What can't be read is as good as not set.
    }
  }

  save(): void {
    const { order, most, sound, welcomed } = this;
    this.page.keep(STORED, JSON.stringify({ order, most, sound, welcomed }));
  }
}
