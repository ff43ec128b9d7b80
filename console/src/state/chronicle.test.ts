import { expect, test } from 'vitest';

import type { Row } from '../api/types';
import { Chronicle } from './chronicle';

const id = (n: number) => `c${n}`.padEnd(26, '0');
const row = (n: number, place: number): Row => ({
  id: id(n),
  prefix: 'c',
  place,
  kind: 'text',
  head: '',
  chars: 0,
  lines: 1,
  size: 0,
  formatted: false,
  copied_at: (1_000 + n) * 1e6,
  copies: 1,
  source: {},
  file_count: 0,
  saved: true,
});

function loaded(): Chronicle {
  const chronicle = new Chronicle();
  chronicle.load({ ids: id(3) + id(2) + id(1), kinds: 'tli', times: [1_003, 1, 500], revision: 7, epoch: 'e' });
  return chronicle;
}

test('an outline unfolds into ids, kinds and times', () => {
  const chronicle = loaded();
  expect(chronicle.ids).toEqual([id(3), id(2), id(1)]);
  expect(chronicle.times).toEqual([1_003, 1_002, 502]);
});

test('arrivals, moves and departures keep the order in step', () => {
  const chronicle = loaded();
  expect(chronicle.arrive({ row: row(9, 1), revision: 8 })).toEqual({ id: id(9), from: null, to: 0 });
  expect(chronicle.arrive({ row: row(1, 1), before: 4, revision: 9 })).toEqual({ id: id(1), from: 3, to: 0 });
  expect(chronicle.leave({ id: id(3), before: 3, revision: 10 })).toEqual({ id: id(3), from: 2, to: null });
  expect(chronicle.ids).toEqual([id(1), id(9), id(2)]);
  expect(chronicle.kinds.length).toBe(3);
});

test('what is known already is passed over and what was missed is noticed', () => {
  const chronicle = loaded();
  expect(chronicle.arrive({ row: row(9, 1), revision: 7 })).toBe(null);
  expect(chronicle.arrive({ row: row(9, 1), revision: 9 })).toBe('gap');
  expect(chronicle.leave({ id: id(9), before: 1, revision: 8 })).toBe('gap');
});
