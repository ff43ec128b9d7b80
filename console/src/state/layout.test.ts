import { expect, test } from 'vitest';

import { DIVIDER_ROW, HEADING, PICTURE_ROW, ROW, UPPER, headingsBetween, layOut, layOutFlat, placeAt } from './layout';

test('rows are as tall as is wished, and headings as ever', () => {
  const sizes = { row: 36, picture: 90 };
  const { tops, height } = layOut('tit', [10_000, 9_000, 5_000], 1, sizes);
  expect([[...tops], height]).toEqual([[HEADING, HEADING + 36, 2 * HEADING + 126], 2 * HEADING + 162]);
  expect([...layOutFlat('dt', 1, sizes).tops]).toEqual([UPPER, UPPER + DIVIDER_ROW]);
});

test('rows follow each other under the heading of their sitting', () => {
  const { tops, headings, height } = layOut('tit', [10_000, 9_000, 5_000]);
  expect([...tops]).toEqual([HEADING, HEADING + ROW, 2 * HEADING + ROW + PICTURE_ROW]);
  expect(headings.map(({ first, count, start, end }) => [first, count, start, end])).toEqual([
    [0, 2, 9_000, 10_000],
    [2, 1, 5_000, 5_000],
  ]);
  expect(height).toBe(2 * HEADING + 2 * ROW + PICTURE_ROW);
});

test('oldest first, sittings are the same', () => {
  const newest = layOut('tit', [10_000, 9_000, 5_000]);
  const oldest = layOut('tit', [5_000, 9_000, 10_000]);
  const told = (headings: typeof newest.headings) => headings.map(({ count, start, end }) => `${count} ${start} ${end}`);
  expect(told(oldest.headings)).toEqual(told(newest.headings).reverse());
});

test('every height belongs to the row that covers it', () => {
  const kinds = Array.from({ length: 500 }, (_, n) => (n % 7 === 0 ? 'i' : 't'));
  const times = Array.from({ length: 500 }, (_, n) => 1_000_000 - n * (n % 11 === 0 ? 2_000 : 30));
  const { tops, height } = layOut(kinds, times);
  for (let y = 0; y < height; y += 37) {
    const place = placeAt(tops, y);
    expect(place === 0 || (tops[place] ?? 0) <= y).toBe(true);
    expect(place === 499 || (tops[place + 1] ?? 0) > y).toBe(true);
  }
  expect(placeAt(new Int32Array(0), 10)).toBe(0);
});

test('only headings in sight are given', () => {
  const { headings } = layOut('ttt', [90_000, 50_000, 10_000]);
  expect(headingsBetween(headings, 0, 10).length).toBe(1);
  expect(headingsBetween(headings, HEADING, HEADING + ROW + 1).map((one) => one.first)).toEqual([1]);
  expect(headingsBetween(headings, 0, 10_000).length).toBe(3);
});

