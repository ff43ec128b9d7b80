import { expect, test } from 'vitest';

import { DIVIDER_ROW, HEADING, Layout, PICTURE_ROW, ROW, UPPER } from './layout';
import { dice } from './testing';

const tops = (layout: Layout): number[] => Array.from({ length: layout.length }, (_, at) => layout.top(at));
const headings = (layout: Layout) => layout.headingsBetween(-1, Infinity);

test('rows are as tall as is wished, and headings as ever', () => {
  const sizes = { row: 36, picture: 90 };
  const layout = Layout.ofSittings('tit', [10_000, 9_000, 5_000], 1, sizes);
  expect([tops(layout), layout.height]).toEqual([[HEADING, HEADING + 36, 2 * HEADING + 126], 2 * HEADING + 162]);
  const flat = Layout.flat('dt', 1, sizes);
  expect([tops(flat), flat.height]).toEqual([[UPPER, UPPER + DIVIDER_ROW], UPPER + DIVIDER_ROW + 36]);
});

test('rows follow each other under the heading of their sitting', () => {
  const layout = Layout.ofSittings('tit', [10_000, 9_000, 5_000]);
  expect(tops(layout)).toEqual([HEADING, HEADING + ROW, 2 * HEADING + ROW + PICTURE_ROW]);
  expect(headings(layout).map(({ first, count, start, end }) => [first, count, start, end])).toEqual([
    [0, 2, 9_000, 10_000],
    [2, 1, 5_000, 5_000],
  ]);
  expect(layout.height).toBe(2 * HEADING + 2 * ROW + PICTURE_ROW);
  expect([0, 1, 2].map((at) => layout.isBelowHeading(at))).toEqual([true, false, true]);
});

test('oldest first, sittings are the same', () => {
  const newest = Layout.ofSittings('tit', [10_000, 9_000, 5_000]);
  const oldest = Layout.ofSittings('tit', [5_000, 9_000, 10_000]);
  const told = (layout: Layout) => headings(layout).map(({ count, start, end }) => `${count} ${start} ${end}`);
  expect(told(oldest)).toEqual(told(newest).reverse());
});

test('every height belongs to the row that covers it', () => {
  const kinds = Array.from({ length: 500 }, (_, n) => (n % 7 === 0 ? 'i' : 't'));
  const times = Array.from({ length: 500 }, (_, n) => 1_000_000 - n * (n % 11 === 0 ? 2_000 : 30));
  const layout = Layout.ofSittings(kinds, times);
  for (let y = 0; y < layout.height; y += 37) {
    const place = layout.placeAt(y);
    expect(place === 0 || layout.top(place) <= y).toBe(true);
    expect(place === 499 || layout.top(place + 1) > y).toBe(true);
  }
  expect(Layout.flat([]).placeAt(10)).toBe(0);
});

test('only headings in sight are given', () => {
  const layout = Layout.ofSittings('ttt', [90_000, 50_000, 10_000]);
  expect(layout.headingsBetween(0, 10).length).toBe(1);
  expect(layout.headingsBetween(HEADING, HEADING + ROW + 1).map((one) => one.first)).toEqual([1]);
  expect(layout.headingsBetween(0, 10_000).length).toBe(3);
});

test('what changes in a list is laid out as if all of it were', () => {
  for (let seed = 1; seed <= 40; seed++) {
    const roll = dice(seed * 104_729);
    const ascending = seed % 4 === 0;
    // Which end of it stays.
    const end = seed % 3 === 0 ? 'first' : 'last';
    const stay = (first: number, last: number) => (same = Math.min(same, end === 'first' ? first : last));
    const kinds: string[] = [];
    const times: number[] = [];
    let layout: Layout | undefined;
    let same = 0;
    for (let n = 0; n < 200; n++) {
      // Most changes are near the other, and a few at once.
      const near = roll(3) > 0 ? roll(4) : roll(kinds.length + 1);
      const at = end === 'first' ? Math.max(0, kinds.length - near) : Math.min(kinds.length, near);
      if (roll(3) > 0 || kinds.length === 0) {
        stay(at, kinds.length - at);
        kinds.splice(at, 0, roll(5) === 0 ? 'i' : 't');
        const beside = times[at] ?? times[at - 1] ?? 1_000_000;
        times.splice(at, 0, beside + (ascending ? -1 : 1) * roll(2_500));
      } else if (at < kinds.length) {
        stay(at, kinds.length - 1 - at);
        kinds.splice(at, 1);
        times.splice(at, 1);
      }
      if (roll(3) === 0) continue;
      if (roll(10) === 0) layout = layout?.copy();
      layout = Layout.ofSittings(kinds, times, 1, undefined, layout, same, end);
      same = kinds.length;
      const anew = Layout.ofSittings(kinds, times);
      const where = `seed ${seed}, step ${n}`;
      expect([layout.height, layout.headings], where).toEqual([anew.height, anew.headings]);
      expect(tops(layout), where).toEqual(tops(anew));
      expect(headings(layout), where).toEqual(headings(anew));
    }
  }
});
