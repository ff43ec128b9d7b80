import { expect, test } from 'vitest';

import type { Row } from '../../api/types';
import { Console } from '../console.svelte';
import { row, serviceOf, TestPage } from '../testing';
import type { Ask, Wanted } from './asks';

/** Answers that are there are heard. */
const soon = async () => {
  for (let n = 0; n < 20; n++) await Promise.resolve();
};

/** A console at the picker's page, whose service was told to type this before. */
async function opened(byChord: boolean, typed: Ask[]) {
  const page = new TestPage();
  page.fragment = '#/pick';
  const [asked, taken]: [Wanted[], unknown[]] = [[], []];
  let tell: (answer: { by_chord: boolean; asks: Ask[] }) => void = () => {};
  const service = serviceOf({
    canEnter: () => Promise.resolve(true),
    typed: () => new Promise((done) => (tell = done)),
    status: () => Promise.resolve({ batch: null, capture: { state: 'keeping' } }),
    pickable: (wanted: Wanted) => {
      asked.push(wanted);
      return Promise.resolve({ rows: [row(1), row(2), row(3)], more: false, total: 3 });
    },
    take: (id: string, form: string, _: unknown, how: object): Promise<{ row: Row }> => {
      taken.push([id, form, how]);
      return Promise.resolve({ row: row(1) });
    },
  });
  const console = new Console(service, page);
  await console.open();
  const known = () => (tell({ by_chord: byChord, asks: typed }), soon());
  return { console, page, asked, taken, known };
}

test('what was typed before the window was there comes first, and what stands in the field after it', async () => {
  const { console, asked, known } = await opened(true, [{ ask: 'type', with: 'ka' }, { ask: 'type', with: 'r' }]);
  console.picking.press({ ask: 'write', with: 's' });
  console.picking.press({ ask: 'write', with: 'st' });
  expect(console.picking.text).toBe('');
  await known();
  expect(console.picking.text).toBe('karst');
  expect(asked.at(-1)?.query).toBe('karst');
});

test('a take by the chord pastes behind and closes the window; by hand it stays and puts on the clipboard', async () => {
  const chord = await opened(true, []);
  await chord.known();
  chord.console.picking.press({ ask: 'take' });
  await soon();
  expect(chord.taken).toEqual([[row(1).id, 'ready', { paste: 'behind' }]]);
  expect(chord.page.closed).toBe(true);
  const hand = await opened(false, []);
  await hand.known();
  hand.console.picking.press({ ask: 'move', with: 1 });
  hand.console.picking.press({ ask: 'take-plain' });
  await soon();
  expect(hand.taken).toEqual([[row(2).id, 'plain', {}]]);
  expect(hand.page.closed).toBe(false);
});

test('what was typed stays when one has signed in again', async () => {
  const { console, known } = await opened(true, []);
  await known();
  console.picking.press({ ask: 'write', with: 'kestrel' });
  console.session.onIn();
  expect(console.picking.text).toBe('kestrel');
});

test('what is pressed after the key that closes it is nobody’s', async () => {
  const { console, page, taken, known } = await opened(true, [{ ask: 'leave' }, { ask: 'take' }]);
  await known();
  expect(page.closed).toBe(true);
  expect(taken).toEqual([]);
  expect(console.picking.byChord).toBe(true);
});
