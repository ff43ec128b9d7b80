import { expect, test } from 'vitest';

import { completed, kindOf, pieces, withKind } from './query';

test('a kind is set, changed and taken out', () => {
  expect(withKind('gas', 'link')).toBe('gas kind:link');
  expect(withKind('kind:text gas', 'image')).toBe('gas kind:image');
  expect(withKind('gas kind:text', null)).toBe('gas');
  expect(kindOf('gas KIND:Link')).toBe('link');
  expect(kindOf('mankind:x')).toBe(null);
});

test('a completion replaces what was typed, counted in characters', () => {
  expect(completed('😀 k', { from: 2, to: 3, insert: 'kind:' })).toEqual(['😀 kind:', 8]);
});

test('marks part a text, also behind characters of two units', () => {
  expect(pieces('😀 gas 11', [[2, 5]])).toEqual([
    { text: '😀 ', marked: false },
    { text: 'gas', marked: true },
    { text: ' 11', marked: false },
  ]);
  expect(pieces('ab', [[0, 5]])).toEqual([{ text: 'ab', marked: true }]);
});
