import { afterEach, expect, it } from 'vitest';

import { counted, firstKnown, language, speak, t } from './language.svelte';

afterEach(() => speak('en'));

it('says the English words, with their holes filled, where no other language is spoken', () => {
  expect(t('Made the drawer {name}.', { name: 'Replies {n}' })).toBe('Made the drawer Replies {n}.');
  expect([0, 1, 2, 1_234].map((n) => counted(n, '{n} copy', '{n} copies'))).toEqual(['0 copies', '1 copy', '2 copies', '1,234 copies']);
});

it('says the words of the catalogue in its form for the number, and English for what it does not have', () => {
  speak('ja', { 'Made the drawer {name}.': ['引き出し「{name}」を作りました。'], '{n} copy': ['コピー {n} 件'] });
  expect(language()).toBe('ja');
  expect(t('Made the drawer {name}.', { name: '返事' })).toBe('引き出し「返事」を作りました。');
  expect([1, 2].map((n) => counted(n, '{n} copy', '{n} copies'))).toEqual(['コピー 1 件', 'コピー 2 件']);
  expect(t('Undo')).toBe('Undo');
});

it('takes the first language that is known here', () => {
  expect(firstKnown(['de-AT', 'ja-JP', 'en'])).toBe('ja');
  expect(firstKnown(['en-GB', 'ja'])).toBe('en');
  expect(firstKnown(['de'])).toBe('en');
});
