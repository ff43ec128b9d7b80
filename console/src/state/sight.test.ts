import { expect, test } from 'vitest';

import { neighbourIn, patch, type Listed } from './listed';
import { Shelf } from './shelf';
import { Selection } from './selection.svelte';
import { Sight } from './sight.svelte';
import { dice, idOf, row } from './testing';

const list = (...ids: string[]): Listed => ({ ids, kinds: ids.map(() => 't'), times: ids.map(() => 0) });

test('a patch brings one thing to where the truth has it, relative to what both hold', () => {
  const now = list('d', 'c', 'b', 'a');
  patch(now, list('f', 'b', 'e', 'd', 'c', 'a'), 'b');
  expect(now.ids).toEqual(['b', 'd', 'c', 'a']);
  patch(now, list('f', 'b', 'e', 'd', 'c'), 'a');
  expect(now.ids).toEqual(['b', 'd', 'c']);
  patch(now, list('f', 'b', 'e', 'd', 'c', 'g'), 'g');
  expect(now.ids).toEqual(['b', 'd', 'c', 'g']);
  expect(neighbourIn(['d', 'c', 'b'], ['d', 'b'], 'c')).toBe('b');
  expect(neighbourIn(['d', 'c'], ['d'], 'c')).toBe('d');
});

test('whatever happens elsewhere and is done here, what is on the screen under a selection moves only by what is done here', () => {
  for (let seed = 1; seed <= 60; seed++) {
    const roll = dice(seed * 7919);
    let truth = list(...Array.from({ length: 12 }, (_, n) => `s${n}`));
    let revision = 0;
    let made = 0;
    const sight = new Sight();
    const selection = new Selection(sight);
    sight.begin(() => ({ ids: truth.ids, kinds: truth.kinds, times: truth.times }), () => revision, () => selection.isBusy);
    sight.show(true, false);
    selection.select('s5');
    let expected = [...sight.now.ids];
    const change = (ids: string[]) => (truth = list(...ids));
    for (let n = 0; n < 80; n++) {
      const what = roll(6);
      const victim = truth.ids[roll(truth.ids.length)] ?? 's0';
      if (what <= 2) {
        // Elsewhere: a new copy, one that is copied again, one that is removed.
        sight.turn(() => {
          revision++;
          const rest = truth.ids.filter((id) => id !== victim);
          if (what === 0) return (change([`n${++made}`, ...truth.ids]), { ids: [`n${made}`], gone: [] });
          if (what === 1) return (change([victim, ...rest]), { ids: [victim], gone: [] });
          if (truth.ids.length < 4) return { ids: [], gone: [] };
          return (change(rest), { ids: [], gone: [victim] });
        });
        expect(sight.now.ids, `seed ${seed}, step ${n}`).toEqual(expected);
      } else if (what === 3 && sight.now.ids.length > 4) {
        // Here: removed, with its event before or after the answer.
        const own = selection.selected ?? '';
        if (!truth.ids.includes(own)) continue;
        const act = () => {
          revision++;
          change(truth.ids.filter((id) => id !== own));
          return { ids: [], gone: [own] };
        };
        sight.starting([own]);
        if (roll(2) === 0) {
          sight.turn(act);
          sight.did([own], [own], revision);
        } else {
          sight.did([own], [own], revision + 1);
          sight.turn(act);
        }
        expected = expected.filter((id) => id !== own);
        expect(sight.now.ids, `seed ${seed}, step ${n}`).toEqual(expected);
        expect(selection.selected).not.toBe(own);
        expect(sight.now.ids).toContain(selection.selected);
      } else {
        const at = roll(sight.now.ids.length);
        selection.select(sight.now.ids[at] ?? null);
        if (selection.selected === null) selection.select(sight.now.ids[0] ?? null);
        expected = [...sight.now.ids];
      }
      // What is marked as gone is just what the history has no longer.
      const lost = sight.now.ids.filter((id) => !truth.ids.includes(id));
      expect([...sight.gone].filter((id) => sight.now.ids.includes(id)).sort()).toEqual(lost.sort());
    }
    selection.select(null);
    expect(sight.now.ids).toEqual(truth.ids);
  }
});

test('a pointer that rests and a button that is down hold the list as well', () => {
  const sight = new Sight();
  let truth = list('a');
  sight.begin(() => truth, () => 0, () => false);
  sight.show(true, false);
  for (const hold of ['pointer', 'down', 'dragging', 'away'] as const) {
    sight[hold] = true;
    const before = sight.now.ids;
    sight.turn(() => ((truth = list(`after ${hold}`, ...truth.ids)), { ids: [`after ${hold}`], gone: [] }));
    expect(sight.now.ids).toEqual(before);
    expect(sight.waiting.size).toBe(1);
    sight[hold] = false;
    sight.release();
    expect(sight.now.ids).toEqual(truth.ids);
    expect(sight.waiting.size).toBe(0);
  }
});

test('a shelf fed by events is in the order that the service would give', () => {
  for (let seed = 1; seed <= 40; seed++) {
    const roll = dice(seed * 104_729);
    const shelf = new Shelf('d');
    shelf.load({ ids: '', kinds: '', ranks: [], dividers: [{ id: 'h1', name: 'Numbers', rank: 'M' }], revision: 0 } as never);
    const ranks = new Map<string, string>();
    for (let n = 0; n < 120; n++) {
      const id = roll(15);
      const rank = 'ABMVz'.charAt(roll(5)) + 'AVz'.charAt(roll(3));
      const drawer = roll(4) === 0 ? 'elsewhere' : 'd';
      if (roll(8) === 0) {
        shelf.leave(idOf(id));
        ranks.delete(idOf(id));
      } else {
        shelf.update(row(id, { kept: { drawer, rank } }));
        if (drawer === 'd') ranks.set(idOf(id), rank);
        else ranks.delete(idOf(id));
      }
      const wanted = [...[...ranks].map(([one, key]) => [key, '0', one]), ['M', '1', 'h1']].sort((a, b) => (a.join('\u0000') < b.join('\u0000') ? -1 : 1));
      expect(shelf.ids, `seed ${seed}, step ${n}`).toEqual(wanted.map(([, , one]) => one));
      expect(shelf.clips).toBe(ranks.size);
    }
  }
});
