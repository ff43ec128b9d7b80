import { expect, test } from 'vitest';

import type { Row, Status } from '../api/types';
import { facts, fileNameFor, given, linkParts, mailTo, mayBeFollowed, shortDate, sittingName, size, span, summary } from './words';

const at = (text: string) => new Date(text).getTime();
const now = at('2031-05-14T10:00');

test('sittings have the names people give them', () => {
  const named = (start: string, end = start) => sittingName(at(start), at(end), now);
  expect(named('2031-05-14T09:41', '2031-05-14T09:58')).toBe('Just now');
  expect(named('2031-05-14T08:05', '2031-05-14T08:20')).toBe('This morning');
  expect(named('2031-05-13T14:00')).toBe('Yesterday afternoon');
  expect(named('2031-05-12T20:00')).toBe('Monday evening');
  expect(named('2031-05-02T20:00')).toBe('Fri 2 May');
  expect(named('2030-12-31T20:00')).toBe('31 December 2030');
});

test('the day a clock is put forward is still one day', () => {
  expect(sittingName(at('2031-03-29T12:00'), at('2031-03-29T12:00'), at('2031-03-30T12:00'))).toBe('Yesterday afternoon');
});

test('a span of one minute is one time', () => {
  expect(span(at('2031-05-14T09:41'), at('2031-05-14T09:41:30'))).toBe('09:41');
  expect(span(at('2031-05-14T09:41'), at('2031-05-14T09:58'))).toBe('09:41 – 09:58');
});

test('links are parted and only harmless ones followed', () => {
  expect(linkParts('https://weather.example.org/ridge?h=1')).toEqual(['weather.example.org', '/ridge?h=1']);
  expect(mayBeFollowed(' HTTPS://example.org')).toBe(true);
  expect(mayBeFollowed('javascript:alert(1)')).toBe(false);
});

const row: Row = {
  id: 'a',
  prefix: 'a',
  place: 1,
  kind: 'text',
  head: '  two\n words ',
  chars: 9,
  lines: 5,
  size: 9,
  formatted: true,
  copied_at: 0,
  copies: 3,
  source: { program: 'Mail' },
  file_count: 0,
  saved: false,
};

test('a row says what it is and where it is from', () => {
  expect(summary(row)).toBe('two words');
  expect(summary({ ...row, head: '\n', chars: 1 })).toBe('White space: 1 character');
  expect(summary({ ...row, head: '\u200b\u2063', chars: 2 })).toBe('Nothing that can be seen: 2 characters');
  expect(summary({ ...row, head: 'a\u202eb\u0007', chars: 4 })).toBe('a\u205db\u2407');
  expect(facts(row)).toEqual(['Mail', 'formatted', '5 lines', 'copied 3 times', 'not saved yet']);
  expect(summary({ ...row, kind: 'files', files: ['/a/permit.pdf', '/a/maps'] })).toBe('permit.pdf · maps');
  expect([size(12), size(1_500), size(212_345), size(9_900_000)]).toEqual(['12 B', '1.5 kB', '212 kB', '9.9 MB']);
});

test('days are the viewer\'s, also where clocks change', () => {
  // Clocks go back in Berlin on 26 October 2031: that day has 25 hours.
  const monday = at('2031-10-27T00:30');
  expect(sittingName(at('2031-10-26T00:10'), at('2031-10-26T00:20'), monday)).toBe('Yesterday night');
  expect(sittingName(at('2031-10-25T23:50'), at('2031-10-25T23:55'), monday)).toBe('Saturday evening');
  expect(shortDate(at('2031-10-26T00:10'), monday)).toBe('yesterday');
  // Forward on 30 March 2031: the day has 23.
  expect(sittingName(at('2031-03-30T00:10'), at('2031-03-30T00:20'), at('2031-03-31T00:05'))).toBe('Yesterday night');
  expect(span(at('2031-03-30T01:50'), at('2031-03-30T03:10'))).toBe('01:50 – 03:10');
});

test('a clip is passed on under its title, with the extension of its type', () => {
  const row = { title: '../Hut: line', prefix: 'k7q2' } as Row;
  expect(fileNameFor(row, 'txt')).toBe('-Hut- line.txt');
  expect(fileNameFor({ ...row, title: null }, 'png')).toBe('clip-k7q2.png');
  expect(mailTo('A & b', 'é\nx')).toBe('mailto:?subject=A%20%26%20b&body=%C3%A9%0D%0Ax');
  expect(mailTo(null, 'mailto:a@example.org')).toBe('mailto:a@example.org');
  expect(mailTo(null, 'x'.repeat(40_000))).toBe(null);
});

test('what a paste gives is said, whatever it is', () => {
  const live = (state: string, clip: Row | null = null) => given({ state, clip } as unknown as Status['live']);
  expect([live('empty'), live('item'), live('unkept'), live('clip', { kind: 'text', head: 'clip 7' } as Row), given(undefined)]).toEqual(['Nothing', 'An item of a batch', 'Something that is not in the history', 'clip 7', '…']);
});
