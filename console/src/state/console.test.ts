import { expect, test } from 'vitest';

import { Failure } from '../api/failure';
import { Console } from './console.svelte';
import { arrival, idOf, outline, row, serviceOf, TestPage } from './testing';

/** A console that has read a history of so many clips. */
async function opened(clips: number, answers: Parameters<typeof serviceOf>[0] = {}): Promise<{ console: Console; page: TestPage }> {
  const page = new TestPage();
  const service = serviceOf({
    canEnter: () => Promise.resolve(true),
    outline: () => Promise.resolve(outline(clips)),
    drawers: () => Promise.resolve({ drawers: [], favorites: 0 }),
    favoritesOutline: () => Promise.resolve({ ids: '', kinds: '', ranks: [], dividers: [], revision: 0 }),
    events: () => new Promise(() => {}),
    ...answers,
  });
  const console = new Console(service, page);
  await console.open();
  await console.list.load();
  return { console, page };
}

test('a removed clip hands the selection to its neighbour, unfolded as it was', async () => {
  const { console } = await opened(5);
  console.selection.toggle(idOf(3));
  console.arrivals.apply([{ event: 'gone', data: JSON.stringify({ id: idOf(3), before: 2, revision: 1 }) }]);
  expect(console.sight.now.ids).toEqual([4, 2, 1, 0].map(idOf));
  expect(console.selection.selected).toBe(idOf(2));
  expect(console.selection.unfolded).toBe(idOf(2));
});

test('what arrives leaves the selection alone', async () => {
  const { console } = await opened(3);
  console.selection.select(idOf(1));
  console.arrivals.apply([3, 4, 5].map((n, at) => ({ event: 'clip', data: arrival(n, at + 1) })));
  expect(console.sight.now.ids).toEqual([5, 4, 3, 2, 1, 0].map(idOf));
  expect(console.selection.selected).toBe(idOf(1));
  expect(console.messages.said).toBe('3 new copies');
});

test('what was taken back is selected whether its event comes before or after the answer', async () => {
  const undo = () => Promise.resolve({ act: 'remove', clips: [row(9)], count: 1 });
  const { console } = await opened(3, { undo });
  await console.acts.undo();
  expect(console.selection.selected).toBeNull();
  console.arrivals.apply([{ event: 'clip', data: arrival(9, 1) }]);
  expect(console.selection.selected).toBe(idOf(9));

  const early = await opened(3, { undo });
  early.console.arrivals.apply([{ event: 'clip', data: arrival(9, 1) }]);
  await early.console.acts.undo();
  expect(early.console.selection.selected).toBe(idOf(9));
});

test('the history remembers what was selected in it; other places begin with nothing', async () => {
  const { console, page } = await opened(3);
  console.selection.select(idOf(1));
  console.selection.choose([idOf(0)], true);
  page.fragment = '#/favorites';
  console.readPlace();
  expect(console.selection.selected).toBeNull();
  expect(console.selection.chosen.size).toBe(0);
  page.fragment = '#/history';
  console.readPlace();
  expect(console.selection.selected).toBe(idOf(1));
});

test('an act on several is about those that are chosen, in the order of the list', async () => {
  const { console } = await opened(4);
  expect(console.selection.subjects(idOf(2))).toEqual([idOf(2)]);
  console.selection.select(idOf(3));
  console.selection.chooseTo(idOf(1));
  expect(console.selection.subjects(idOf(0))).toEqual([3, 2, 1].map(idOf));
});

test('Enter takes what is found for what is typed, however late that comes', async () => {
  const taken: string[] = [];
  let answer: (found: unknown) => void = () => {};
  const { console } = await opened(3, {
    search: () => new Promise((resolve) => (answer = resolve)),
    complete: () => Promise.resolve([]),
    take: (id: string) => (taken.push(id), Promise.resolve({ row: row(1), filled: false })),
  });
  console.selection.select(idOf(2));
  console.search.type('clip 1');
  const take = console.acts.takeFound('ready');
  answer({ hits: [{ row: row(1), excerpts: [] }], more: false, unread: 0 });
  await take;
  expect(taken).toEqual([idOf(1)]);
});

test('a failure is told with its next step, and goes by itself', async () => {
  const problem = { type: 'gone', detail: 'there is nothing to take back', hint: 'Nothing was done.' };
  const { console, page } = await opened(1, { undo: () => Promise.reject(new Failure(409, problem as never)) });
  await console.acts.undo();
  expect(console.messages.toast).toMatchObject({ text: 'There is nothing to take back.', hint: 'Nothing was done.', wrong: true });
  page.pass(11_999);
  expect(console.messages.toast).not.toBeNull();
  page.pass(1);
  expect(console.messages.toast).toBeNull();
});

test('a gap in the revisions reads the history anew, and what is gone is selected no longer', async () => {
  let clips = 3;
  const { console } = await opened(3, { outline: () => Promise.resolve(outline(clips)) });
  console.selection.select(idOf(2));
  clips = 2;
  console.arrivals.apply([{ event: 'clip', data: arrival(7, 5) }]);
  await Promise.resolve();
  await Promise.resolve();
  await Promise.resolve();
  expect(console.sight.now.ids).toEqual([1, 0].map(idOf));
  expect(console.selection.selected).toBeNull();
});
