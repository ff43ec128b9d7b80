import { expect, test } from 'vitest';

import { Commands } from './commands';
import { opened, settled } from './opened';
import { arrival, idOf, row, windowOf } from './testing';

test('older clips come behind the newest, which are there at once; what one looks at stays where it is', async () => {
  const answers: (() => void)[] = [];
  let there = 45_000;
  let revision = 0;
  const { console, page } = await opened(0, {
    outline: (after: string | null, limit: number) => {
      if (after === null) return Promise.resolve(windowOf(there, after, limit, { revision }));
      return new Promise((done) => answers.push(() => done(windowOf(45_000, after, limit, { revision }))));
    },
  });
  const { sight, list } = console;
  const answer = async () => {
    answers.shift()?.();
    await settled();
  };
  expect([sight.now.ids.length, list.length, list.partial]).toEqual([1_000, 45_000, true]);
  await answer();
  expect(sight.now.ids.length).toBe(11_000);
  // One looks at a clip: what comes waits, what is older comes behind all the same, and what moved to the top is there once.
  console.selection.select(idOf(44_990));
  const moved = { row: row(29_999, { place: 1 }), before: 15_001, revision: 1, copied: true };
  console.arrivals.apply([{ event: 'clip', data: JSON.stringify(moved) }]);
  while (list.partial) await answer();
  expect([sight.now.ids.length, sight.waiting.size, list.partial]).toEqual([44_999, 1, false]);
  expect(sight.now.ids.slice(0, 3)).toEqual([44_999, 44_998, 44_997].map(idOf));
  console.selection.select(null);
  expect(sight.now.ids.slice(0, 2)).toEqual([29_999, 44_999].map(idOf));
  expect([sight.now.ids.length, new Set(sight.now.ids).size]).toEqual([45_000, 45_000]);
  // Everything is read anew while one looks at it: what is older than all that has been read has not gone.
  console.selection.select(idOf(44_990));
  [there, revision] = [44_998, 5];
  console.arrivals.apply([{ event: 'reset', data: '{}' }]);
  await settled();
  expect([...sight.gone]).toEqual([44_999, 44_998].map(idOf));
  expect(page.closed).toBe(false);
});

test('a window that the service answers ahead of its events waits for these', async () => {
  const windows: (() => void)[] = [];
  const { console } = await opened(0, {
    outline: (after: string | null, limit: number) => {
      if (after === null) return Promise.resolve(windowOf(1_005, after, limit));
      return new Promise((done) => windows.push(() => done(windowOf(1_005, after, limit, { revision: 2, total: 1_007 }))));
    },
  });
  windows.shift()?.();
  await settled();
  expect(console.sight.now.ids.length).toBe(1_000);
  console.arrivals.apply([{ event: 'clip', data: arrival(2_001, 1) }]);
  await settled();
  expect(console.sight.now.ids.length).toBe(1_001);
  console.arrivals.apply([{ event: 'clip', data: arrival(2_002, 2) }]);
  await settled();
  expect(console.sight.now.ids.length).toBe(1_007);
  expect(console.list.partial).toBe(false);
});

test('End, pressed while older clips are being read, leads to the last of all, unless another is selected meanwhile', async () => {
  for (const otherwise of [false, true]) {
    const windows: (() => void)[] = [];
    const { console } = await opened(0, {
      outline: (after: string | null, limit: number) => {
        if (after === null) return Promise.resolve(windowOf(25_000, after, limit));
        return new Promise((done) => windows.push(() => done(windowOf(25_000, after, limit))));
      },
    });
    const { selection, sight, list } = console;
    const commands = new Commands(console);
    expect(commands.run('last', 20)).toBe('follow');
    expect(selection.selected).toBe(sight.now.ids[999]);
    windows.shift()?.();
    await settled();
    expect(selection.selected).toBe(sight.now.ids[10_999]);
    if (otherwise) commands.run('previous', 20);
    while (list.partial) {
      windows.shift()?.();
      await settled();
    }
    expect(selection.selected).toBe(sight.now.ids[otherwise ? 10_998 : 24_999]);
  }
});

test('more clips than an act may be on stay chosen, and it is said what to do', async () => {
  const removed: string[][] = [];
  const { console } = await opened(0, {
    outline: (after: string | null, limit: number) => Promise.resolve(windowOf(12_000, after, limit)),
    remove: (ids: string[]) => (removed.push(ids), Promise.resolve({ id: 'a', removed: ids.length, grace_seconds: 60, revision: 0 })),
  });
  while (console.list.partial) await settled();
  const { selection, sight } = console;
  const commands = new Commands(console);
  selection.select(sight.now.ids[0] ?? null);
  commands.run('chooseToLast', 10);
  expect(selection.chosen.size).toBe(12_000);
  commands.run('remove', 10);
  await settled();
  expect([removed, selection.chosen.size, selection.selected]).toEqual([[], 12_000, idOf(0)]);
  expect(console.messages.toast?.text).toContain('at most');
  selection.choose(sight.now.ids.slice(0, 2_000), false);
  commands.run('remove', 10);
  await settled();
  expect(removed.map((ids) => ids.length)).toEqual([10_000]);
});
