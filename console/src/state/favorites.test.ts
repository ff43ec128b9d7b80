import { expect, test } from 'vitest';

import type { KeptOutline } from '../api/types';
import { opened, settled } from './opened';
import { dice, idOf, outline, row } from './testing';

const CLIPS = 24;

test('favorites that are read in parts while they change are what they are in the end', async () => {
  for (let seed = 1; seed <= 60; seed++) {
    const roll = dice(seed * 49_979_687);
    const kept = new Map<number, string>();
    const rank = () => `V${roll(1_000)}`;
    for (let n = 0; n < 15; n++) kept.set(n, rank());
    let revision = 0;
    const key = (n: number) => `${kept.get(n)}\u0000${idOf(n)}`;
    const order = () => [...kept.keys()].sort((a, b) => (key(a) < key(b) ? -1 : 1));
    const answers: (() => void)[] = [];
    const part = (after: string | null): KeptOutline => {
      const behind = order().filter((n) => after === null || key(n) > after);
      const here = behind.slice(0, 4);
      const ranks = here.map((n) => kept.get(n) ?? '');
      const next = behind.length > 4 ? key(here.at(-1) ?? 0) : undefined;
      return { ids: here.map(idOf).join(''), kinds: 't'.repeat(here.length), ranks, dividers: [], revision, ...(next && { next }) } as KeptOutline;
    };
    const { console } = await opened(CLIPS, {
      outline: () => Promise.resolve(outline(CLIPS)),
      favoritesOutline: (after: string | null) => new Promise((done) => answers.push(() => done(part(after)))),
    });
    const late: string[] = [];
    const tell = () => {
      const data = late.shift();
      if (data !== undefined) console.arrivals.apply([{ event: 'clip', data }]);
    };
    for (let n = 0; !console.list.favoritesRead && n < 200; n++) {
      if (roll(2) === 0) {
        // Pinned, moved, or let go of; told of at once or later.
        const which = roll(CLIPS);
        if (roll(3) === 0) kept.delete(which);
        else kept.set(which, rank());
        const of = kept.get(which);
        late.push(JSON.stringify({ row: row(which, { place: CLIPS - which, ...(of ? { kept: { rank: of } } : {}) }), before: CLIPS - which, revision: ++revision }));
      }
      if (roll(2) === 0) tell();
      if (roll(3) === 0) answers.shift()?.();
      await settled();
    }
    while (late.length > 0) tell();
    expect(console.list.favorites.ids, `seed ${seed}`).toEqual(order().map(idOf));
  }
});
