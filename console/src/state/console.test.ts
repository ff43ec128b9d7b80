import { expect, test } from 'vitest';

import { Failure } from '../api/failure';
import type { Problem } from '../api/types';
import { Commands } from './commands';
import { Console } from './console.svelte';
import { opened, settled } from './opened';
import { arrival, idOf, outline, row, serviceOf } from './testing';

const gone = (n: number, before: number, revision: number) => ({ event: 'gone', data: JSON.stringify({ id: idOf(n), before, revision }) });

test('what one removes oneself goes at once, and hands the selection to its neighbour, unfolded as it was', async () => {
  const { console } = await opened(5, { remove: () => Promise.resolve({ id: 'a', removed: 1, grace_seconds: 60, revision: 1 }) });
  console.selection.toggle(idOf(3));
  const removing = console.acts.remove([idOf(3)]);
  console.arrivals.apply([gone(3, 2, 1)]);
  await removing;
  expect(console.sight.now.ids).toEqual([4, 2, 1, 0].map(idOf));
  expect(console.selection.selected).toBe(idOf(2));
  expect(console.selection.unfolded).toBe(idOf(2));
});

test('a key that follows the one that removes is about what is selected by then, whenever the removal is answered', async () => {
  const answers: (() => void)[] = [];
  const removed: string[][] = [];
  const remove = (ids: string[]) => {
    removed.push(ids);
    return new Promise((done, fail) =>
      answers.push(() => (ids[0] === idOf(0) ? fail(new Failure(0, null)) : done({ id: `a${removed.length}`, removed: 1, grace_seconds: 60, revision: answers.length }))),
    );
  };
  const { console } = await opened(5, { remove });
  const commands = new Commands(console);
  console.selection.select(idOf(3));
  commands.run('remove', 10);
  expect(console.selection.selected).toBe(idOf(2));
  commands.run('remove', 10);
  expect(console.selection.selected).toBe(idOf(1));
  answers.forEach((answer) => answer());
  console.arrivals.apply([gone(3, 2, 1), gone(2, 2, 2)]);
  await settled();
  expect(removed).toEqual([[idOf(3)], [idOf(2)]]);
  expect(console.selection.selected).toBe(idOf(1));
  // What could not be removed stays, and the selection moves no more: another key may be on its way.
  console.selection.select(idOf(0));
  commands.run('remove', 10);
  expect(console.selection.selected).toBe(idOf(1));
  answers[2]?.();
  await settled();
  expect(console.selection.selected).toBe(idOf(1));
  expect(console.sight.has(idOf(0))).toBe(true);
});

test('what was to be typed into and did not open leaves the keys where no letter acts', async () => {
  const { console, page } = await opened(3, { rows: () => Promise.resolve([]) });
  const commands = new Commands(console);
  console.selection.select(idOf(1));
  commands.run('edit', 10);
  await settled();
  expect(console.selection.panel).toBeNull();
  expect(page.focused.at(-1)).toBe('rest');
});

test('what is removed elsewhere under a selection stays where it stands, marked, until one moves on', async () => {
  const { console } = await opened(4);
  console.selection.select(idOf(2));
  console.arrivals.apply([gone(2, 2, 1), gone(1, 2, 2)]);
  expect(console.sight.now.ids).toEqual([3, 2, 1, 0].map(idOf));
  expect([...console.sight.gone]).toEqual([idOf(2), idOf(1)]);
  expect(console.selection.selected).toBe(idOf(2));
  console.selection.select(null);
  expect(console.sight.now.ids).toEqual([3, 0].map(idOf));
});

test('what arrives leaves the selection alone', async () => {
  const { console } = await opened(3);
  console.selection.select(idOf(1));
  console.arrivals.apply([3, 4, 5].map((n, at) => ({ event: 'clip', data: arrival(n, at + 1) })));
  expect(console.sight.now.ids).toEqual([2, 1, 0].map(idOf));
  expect(console.sight.waiting.size).toBe(3);
  expect(console.selection.selected).toBe(idOf(1));
  console.selection.select(null);
  expect(console.sight.now.ids).toEqual([5, 4, 3, 2, 1, 0].map(idOf));
  expect(console.messages.said).toBe('3 new copies');
});

test('what was taken back is selected whether its event comes before or after the answer', async () => {
  const answers = {
    remove: () => Promise.resolve({ id: 'a', removed: 1, grace_seconds: 60, revision: 1 }),
    undo: () => Promise.resolve({ id: 'a', act: 'remove', clips: [row(2)], count: 1, revision: 2 }),
  };
  const back = { event: 'clip', data: arrival(2, 2) };
  for (const early of [false, true]) {
    const { console } = await opened(3, answers);
    console.selection.select(idOf(2));
    await console.acts.remove([idOf(2)]);
    console.arrivals.apply([gone(2, 1, 1)]);
    expect(console.selection.selected).toBe(idOf(1));
    if (early) console.arrivals.apply([back]);
    await console.acts.undo();
    if (!early) console.arrivals.apply([back]);
    expect(console.selection.selected).toBe(idOf(2));
    expect(console.sight.now.ids).toEqual([2, 1, 0].map(idOf));
  }
});

test('U takes back what was done in this window; anything else is said and asked first', async () => {
  const stepped: string[] = [];
  const act = (id: string) => ({ id, act: 'pin', at: 0, clips: 1, first: row(1), undone: false });
  const { console } = await opened(3, {
    pin: () => Promise.resolve({ id: 'own', act: 'pin', clips: [row(1)], count: 1, revision: 0 }),
    acts: () => Promise.resolve([act('foreign'), act('own')]),
    undo: (id: string) => (stepped.push(id), Promise.resolve({ id, act: 'pin', clips: [row(1)], count: 1, revision: 0 })),
  });
  await console.acts.pin([idOf(1)]);
  await console.acts.undo();
  expect(stepped).toEqual(['own']);
  await console.acts.undo();
  expect(stepped).toEqual(['own']);
  expect(console.messages.toast?.text).toContain('not in this window: pinned: clip 1');
  await console.acts.undo();
  expect(stepped).toEqual(['own', 'foreign']);
});

test('where one does not see what an act did, U says it before it takes it back', async () => {
  const stepped: string[] = [];
  const { console, page } = await opened(3, {
    pin: () => Promise.resolve({ id: 'own', act: 'pin', clips: [row(1)], count: 1, revision: 0 }),
    acts: () => Promise.resolve([{ id: 'own', act: 'pin', at: 0, clips: 1, first: row(1), undone: false }]),
    undo: (id: string) => (stepped.push(id), Promise.resolve({ id, act: 'pin', clips: [row(1)], count: 1, revision: 0 })),
  });
  await console.acts.pin([idOf(1)]);
  page.fragment = '#/help';
  console.readPlace();
  await console.acts.undo();
  expect(stepped).toEqual([]);
  expect(console.messages.toast?.text).toContain('pinned: clip 1');
  await console.acts.undo();
  expect(stepped).toEqual(['own']);
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

test('Enter takes what is found for what stood in the field, however late that comes and whatever is typed after', async () => {
  const taken: string[] = [];
  const open: { text: string; answer: (found: unknown) => void }[] = [];
  const { console } = await opened(3, {
    search: ({ text }: { text: string }) => new Promise((answer) => open.push({ text, answer })),
    complete: () => Promise.resolve([]),
    take: (id: string) => (taken.push(id), Promise.resolve({ row: row(1), filled: false })),
  });
  const found = (n: number) => ({ hits: [{ row: row(n), excerpts: [] }], more: false, unread: 0 });
  console.selection.select(idOf(2));
  console.search.type('clip 1');
  open[0]?.answer(found(1));
  await settled();
  console.search.type('clip 0');
  const take = console.acts.takeFound('ready');
  console.search.type('clip 2');
  open.filter(({ text }) => text === 'clip 0').forEach(({ answer }) => answer(found(0)));
  await take;
  expect(taken).toEqual([idOf(0)]);
});

test('a failure is told with its next step, and goes by itself', async () => {
  const problem = { type: 'gone', detail: 'there is no such clip', hint: 'Nothing was done.' };
  const { console, page } = await opened(1, { remove: () => Promise.reject(new Failure(404, problem as never)) });
  await console.acts.remove([idOf(0)]);
  expect(console.messages.toast).toMatchObject({ text: 'There is no such clip.', hint: 'Nothing was done.', wrong: true });
  page.pass(11_999);
  expect(console.messages.toast).not.toBeNull();
  page.pass(1);
  expect(console.messages.toast).toBeNull();
});

test('a gap in the revisions reads the history anew; nothing on the screen moves for it', async () => {
  let clips = 3;
  const { console } = await opened(3, { outline: () => Promise.resolve(outline(clips)) });
  console.selection.select(idOf(2));
  clips = 2;
  console.arrivals.apply([{ event: 'clip', data: arrival(7, 5) }]);
  await settled();
  expect(console.sight.now.ids).toEqual([2, 1, 0].map(idOf));
  expect([...console.sight.gone]).toEqual([idOf(2)]);
  console.selection.select(null);
  expect(console.sight.now.ids).toEqual([1, 0].map(idOf));
});

test('a number means what has stood beside it for half a second', async () => {
  const outlineOf = (...ns: number[]) => ({ ids: ns.map(idOf).join(''), kinds: 't'.repeat(ns.length), ranks: ns.map((_, at) => `V${at}`), dividers: [], revision: 0 });
  const taken: string[] = [];
  const { console, page } = await opened(3, {
    favoritesOutline: () => Promise.resolve(outlineOf(2, 1)),
    take: (id: string) => (taken.push(id), Promise.resolve({ row: row(1), filled: false })),
  });
  console.drawers.visible = true;
  console.drawers.settle();
  page.pass(1_000);
  const moved = { row: row(0, { place: 3, kept: { rank: 'A' } }), before: 3, revision: 1 };
  console.arrivals.apply([{ event: 'clip', data: JSON.stringify(moved) }]);
  expect(console.drawers.first).toEqual([0, 2, 1].map(idOf));
  console.takeFavorite(1);
  page.pass(499);
  console.takeFavorite(1);
  page.pass(1);
  console.takeFavorite(1);
  expect(taken).toEqual([2, 2, 0].map(idOf));
});

test('words are in the browser from the first letter on, and in the service when that answers', async () => {
  let reached = false;
  const kept: string[] = [];
  const { console, page } = await opened(1, {
    detail: () => Promise.resolve({ text: 'clip 0', representations: [], text_cut: false }),
    draft: () => Promise.resolve(null),
    keepDraft: (_: string, text: string) => (reached ? (kept.push(text), Promise.resolve()) : Promise.reject(new Failure(0, null))),
  });
  const { drafts } = console;
  await drafts.open(row(0));
  const { editing } = drafts;
  if (!editing) throw new Error('no editor');
  editing.text = 'clip 0, and more';
  drafts.changed();
  expect(drafts.typed(`edit:${idOf(0)}`)).toBe('clip 0, and more');
  await drafts.leave();
  expect(console.messages.toast?.text).toContain('kept in this browser');
  reached = true;
  await drafts.handOver();
  expect(kept).toEqual(['clip 0, and more']);
  expect(drafts.typed(`edit:${idOf(0)}`)).toBeNull();
  expect(console.messages.toast?.text).toContain('safe in the service');
  // Where neither has room for them, the editor stays open.
  reached = false;
  page.room = 3;
  await drafts.open(row(0));
  if (drafts.editing) drafts.editing.text = 'other words';
  await drafts.leave();
  expect(drafts.editing?.text).toBe('other words');
});

test('announcements stand long enough to be read, and copies that come meanwhile are counted', async () => {
  const { console, page } = await opened(1);
  const said: string[] = [];
  let revision = 0;
  for (let n = 0; n < 200; n++) {
    const one = { row: row(100 + n), before: null, revision: ++revision, copied: true };
    console.arrivals.apply([{ event: 'clip', data: JSON.stringify(one) }]);
    if (n === 100) console.messages.tell('Removed 1 clip.');
    if (said.at(-1) !== console.messages.said) said.push(console.messages.said);
    page.pass(50);
  }
  // Ten seconds: no more than one in 900 ms, and none of them lost.
  expect(said.length).toBeLessThanOrEqual(12);
  expect(said).toContain('Removed 1 clip.');
  page.pass(4_000);
  page.pass(4_000);
  said.push(console.messages.said);
  const copies = said.map((one) => (one.startsWith('Copied') ? 1 : Number(/^(\d+) new/.exec(one)?.[1] ?? 0)));
  expect(copies.reduce((a, b) => a + b)).toBe(200);
});

test('a drawer that cannot be read says why, and is shown once it can', async () => {
  let answer = (): Promise<unknown> => Promise.reject(new Failure(503, { detail: 'the records are not ready' } as Problem));
  const { console } = await opened(3, { drawerOutline: () => answer() });
  console.go({ view: 'drawer', id: 'd1', query: '' });
  await settled();
  expect(console.list.problem).toBe('the records are not ready');
  expect(console.sight.loaded).toBe(false);
  answer = () => Promise.resolve({ ids: idOf(1), kinds: 't', ranks: ['a'], times: [1], dividers: [], revision: 0 });
  console.tryAgain();
  await settled();
  expect(console.list.problem).toBe(null);
  expect(console.sight.now.ids).toEqual([idOf(1)]);
});

test("the service's troubles are announced, each once, after what is being said", async () => {
  const status = (state: string, reason: string | null) => ({ event: 'status', data: JSON.stringify({ capture: { state, reason } }) });
  const said: string[] = [];
  const { console, page } = await opened(1);
  const listen = () => {
    for (let n = 0; n < 8; n++) {
      if (console.messages.said !== '' && console.messages.said !== said.at(-1)) said.push(console.messages.said);
      page.pass(4_000);
    }
  };
  console.arrivals.apply([status('keeping', null)]);
  console.arrivals.apply([status('waiting', 'the records can\'t be reached')]);
  console.arrivals.apply([status('waiting', 'the records can\'t be reached')]);
  console.arrivals.apply([status('broken', 'the display is gone')]);
  console.arrivals.apply([status('keeping', null)]);
  listen();
  expect(said).toEqual([
    "Copies wait in memory. The records can't be reached.",
    'Copies are not being kept. The display is gone.',
    'Keeping copies',
  ]);
});

test('that the service does not answer is announced, and that it does again', async () => {
  let answers = true;
  const open = new Set<ReadableStreamDefaultController>();
  const events = () => (answers ? Promise.resolve(new ReadableStream({ start: (one) => void open.add(one) })) : Promise.reject(new Error('nobody')));
  const { console, page } = await opened(1, { events });
  console.arrivals.apply([{ event: 'status', data: JSON.stringify({ capture: { state: 'keeping', reason: null } }) }]);
  answers = false;
  open.forEach((one) => one.close());
  for (let n = 0; n < 6; n++) {
    await settled();
    page.pass(5_000);
  }
  expect(console.messages.said).toMatch(/^The service does not answer\. Copies are not being kept/);
  answers = true;
  for (let n = 0; n < 6; n++) {
    await settled();
    page.pass(5_000);
  }
  expect(console.messages.said).toBe('Keeping copies');
});

test('a clip that is being read already is opened once it is there, and no letter acts meanwhile', async () => {
  const answers: (() => void)[] = [];
  const rows = (ids: string[]) => new Promise((resolve) => answers.push(() => resolve(ids.map((id) => row([0, 1, 2].find((n) => idOf(n) === id) ?? 9)))));
  const { console } = await opened(3, { rows });
  const commands = new Commands(console);
  console.selection.select(idOf(2));
  void console.rows.see([2, 1, 0].map(idOf), () => [], () => []);
  commands.run('edit', 10);
  // Were one of these obeyed, it would be refused: nothing of the kind was expected here.
  commands.run('pin', 10);
  commands.run('remove', 10);
  await settled();
  expect(console.selection.panel).toBe(null);
  answers.forEach((answer) => answer());
  await settled();
  expect(console.selection.panel).toBe('edit');
  expect(console.messages.toast).toBe(null);
});

test('however many rows come, those in sight are let go of last', async () => {
  const { console } = await opened(3);
  console.rows.put(...[0, 1, 2].map((n) => row(n)));
  void console.rows.see([2, 1, 0].map(idOf), () => [], () => []);
  const other = (n: number) => `other-${n}-`.padEnd(26, 'x');
  for (let n = 0; n < 10_000; n++) console.rows.put(row(n, { id: other(n) }));
  expect([0, 1, 2].map((n) => console.rows.get(idOf(n))?.head)).toEqual(['clip 0', 'clip 1', 'clip 2']);
  expect(console.rows.get(other(9_999))?.head).toBe('clip 9999');
  expect(console.rows.get(other(0))).toBe(undefined);
});

test('what the service does not have is asked for once, and again once it is told of', async () => {
  const asked: string[][] = [];
  const rows = (ids: string[]) => (asked.push(ids), Promise.resolve([row(0)]));
  const { console } = await opened(3, { rows });
  const see = () => console.rows.see([1, 0].map(idOf), () => [idOf(2)], () => [idOf(2)]);
  for (let n = 0; n < 5; n++) await see();
  expect(asked).toEqual([[1, 0].map(idOf), [idOf(2)]]);
  console.rows.put(row(1));
  console.rows.forget(idOf(1));
  await see();
  expect(asked.length).toBe(3);
});

test('copies sound where that is wished, however many there are not more often than one hears, and what one does oneself never', async () => {
  const { console, page } = await opened(3);
  const copied = (n: number, revision: number) => ({ event: 'clip', data: arrival(n, revision) });
  console.arrivals.apply([copied(3, 1)]);
  expect(page.chimes).toBe(0);
  console.prefs.sound = true;
  console.prefs.save();
  console.arrivals.apply([copied(4, 2), copied(5, 3)]);
  expect(page.chimes).toBe(1);
  for (let n = 6; n < 26; n++) {
    page.time += 100;
    console.arrivals.apply([copied(n, n - 2)]);
  }
  expect(page.chimes).toBe(6);
  page.time += 1_000;
  console.arrivals.apply([gone(5, 20, 24)]);
  console.arrivals.apply([{ event: 'clip', data: JSON.stringify({ row: row(4), before: 20, revision: 25, copied: false }) }]);
  expect(page.chimes).toBe(6);
  // It is remembered by the browser.
  expect(new Console(serviceOf({}), page).prefs.sound).toBe(true);
});

test('the history is shown as the settings say, until this window shows it otherwise', async () => {
  const { console } = await opened(5);
  const shown = () => console.sight.now.ids;
  const newest = [4, 3, 2, 1, 0].map(idOf);
  expect(shown()).toEqual(newest);
  const look = (order: 'newest' | 'oldest', most?: number) => console.followLook({ theme: 'system', hours: '24', order, shown: most });
  look('oldest', 2);
  expect(shown()).toEqual([idOf(3), idOf(4)]);
  expect(console.prefs.choices.map(([most]) => most)).toEqual([2, 50, 200, 1_000, Number.MAX_SAFE_INTEGER]);
  // What the settings do not say anew stays as it is here.
  console.showHistory('newest', 3);
  expect(shown()).toEqual(newest.slice(0, 3));
  look('oldest', 2);
  expect(shown()).toEqual(newest.slice(0, 3));
  look('oldest');
  expect(shown()).toEqual(newest);
  look('newest');
  look('oldest');
  expect(shown()).toEqual(newest.toReversed());
});

test('what is copied and removed while everything is read anew is there, and not there, afterwards', async () => {
  const answers: ((clips: number, revision: number) => void)[] = [];
  let first = true;
  const { console } = await opened(3, {
    outline: () => {
      if (!first) return new Promise((done) => answers.push((clips, revision) => done({ ...outline(clips), revision })));
      first = false;
      return Promise.resolve(outline(3));
    },
  });
  const shown = () => console.sight.now.ids;
  // Told of together with what follows it, and before the answer, which is older than both.
  console.arrivals.apply([{ event: 'reset', data: '{}' }, { event: 'clip', data: arrival(4, 8) }]);
  console.arrivals.apply([gone(0, 5, 9)]);
  expect(shown()).toEqual([2, 1, 0].map(idOf));
  answers[0]?.(4, 7);
  await settled();
  expect(shown()).toEqual([4, 3, 2, 1].map(idOf));
  // The answer knows of it already.
  console.arrivals.apply([{ event: 'reset', data: '{}' }, { event: 'clip', data: arrival(4, 10) }]);
  answers[1]?.(5, 10);
  await settled();
  expect(shown()).toEqual([4, 3, 2, 1, 0].map(idOf));
  // It was to be read again while it was read: the newer answer holds.
  console.arrivals.apply([{ event: 'reset', data: '{}' }]);
  console.arrivals.apply([{ event: 'reset', data: '{}' }, { event: 'clip', data: arrival(6, 3) }]);
  answers[2]?.(2, 1);
  await settled();
  answers[3]?.(6, 2);
  await settled();
  expect(shown()).toEqual([6, 5, 4, 3, 2, 1, 0].map(idOf));
});
