import { expect, test } from 'vitest';

import type { ClipEvent, GoneEvent, Row } from '../api/types';
import { Chronicle } from './chronicle';
import { Layout } from './layout';
import { sizes } from './look.svelte';
import { Selection } from './selection.svelte';
import { Sight, type Came } from './sight.svelte';
import { dice, idOf, row, windowOf } from './testing';
import { Turned } from './turned';

/** What a list looks like: every edge of it. */
const drawn = (layout: Layout) => [layout.height, layout.headingsBetween(-1, Infinity), Array.from({ length: layout.length }, (_, at) => layout.top(at))];

test('whatever comes, goes, is held and is read behind, everything lies where it would if all of it were laid out anew', () => {
  for (let seed = 1; seed <= 40; seed++) {
    const roll = dice(seed * 32_452_843);
    const chronicle = new Chronicle();
    const sight = new Sight();
    const selection = new Selection(sight);
    let made = 100;
    chronicle.load(windowOf(60, null, 30));
    const turned = new Turned(chronicle);
    const asItIs = () => ({ ids: chronicle.ids, kinds: chronicle.kinds, times: chronicle.times, steady: chronicle.steady });
    // The oldest first, or the newest.
    const truth = () => (seed % 3 === 0 ? turned.follow() : asItIs());
    sight.begin(truth, () => chronicle.revision, () => selection.isBusy);
    sight.show(true, true);
    const leave = (at: number): Came => {
      const id = chronicle.ids[at] ?? '';
      const event: GoneEvent = { id, before: at + 1, revision: chronicle.revision + 1 };
      expect(chronicle.leave(event)).not.toBe('gap');
      return { ids: [], gone: [id] };
    };
    const arrive = (of: Row, before: number | null): Came => {
      const event: ClipEvent = { row: { ...of, place: 1 }, before, revision: chronicle.revision + 1, copied: true };
      expect(chronicle.arrive(event)).not.toBe('gap');
      return { ids: [of.id], gone: [] };
    };
    for (let n = 0; n < 120; n++) {
      const what = roll(9);
      const at = roll(Math.min(chronicle.ids.length, 6));
      const time = ((chronicle.times[0] ?? 0) + roll(2_500)) * 1e6;
      if (what <= 1) sight.turn(() => arrive(row(++made, { copied_at: time, kind: roll(4) === 0 ? 'image' : 'text' }), null));
      else if (what === 2) sight.turn(() => arrive({ ...row(0), id: chronicle.ids[at] ?? '', copied_at: time }, at + 1));
      else if (what === 3 && chronicle.ids.length > 8) sight.turn(() => leave(roll(chronicle.ids.length)));
      else if (what === 4) selection.select(roll(2) === 0 ? null : (sight.now.ids[roll(sight.now.ids.length)] ?? null));
      else if (what === 5 && chronicle.ids.length > 8) {
        const own = sight.now.ids[roll(Math.min(sight.now.ids.length, 6))] ?? '';
        const there = chronicle.ids.indexOf(own);
        if (there < 0) continue;
        sight.starting([own]);
        sight.turn(() => leave(there));
        sight.did([own], [own], chronicle.revision);
      } else if (what === 7) {
        // Brought up by oneself.
        const own = sight.now.ids[roll(Math.min(sight.now.ids.length, 12))] ?? '';
        const there = chronicle.ids.indexOf(own);
        if (there < 0) continue;
        sight.starting([own]);
        sight.turn(() => arrive({ ...row(0), id: own, copied_at: time }, there + 1));
        sight.did([own], [own], chronicle.revision);
      } else if (what === 6 && chronicle.next !== null) {
        chronicle.asking();
        // The newest of them have come since: what is older stands where it stood.
        const part = chronicle.append(windowOf(60, chronicle.next, 5, { revision: chronicle.revision }));
        // The last window does not add up here, since what is made and gone is not in it.
        if (typeof part === 'string') break;
        sight.extend(part);
      } else sight.unit = 1 + roll(3) / 4;
      // It is laid out now and then only.
      if (roll(3) === 0) continue;
      const { now } = sight;
      if (!sight.held && seed % 3 === 0) expect(truth().ids, `seed ${seed}, step ${n}`).toEqual(chronicle.ids.toReversed());
      expect(drawn(sight.layout), `seed ${seed}, step ${n}`).toEqual(drawn(Layout.ofSittings(now.kinds, now.times, sight.unit, sizes())));
      for (const id of [now.ids[roll(now.ids.length)] ?? '', idOf(99), now.ids.at(-1) ?? '']) expect(sight.place(id), `seed ${seed}, step ${n}`).toBe(now.ids.indexOf(id));
    }
  }
});

test('two hundred thousand clips can be chosen, and some of them go', () => {
  const all = 200_000;
  const chronicle = new Chronicle();
  chronicle.load(windowOf(all, null, all));
  const sight = new Sight();
  const selection = new Selection(sight);
  sight.begin(() => chronicle, () => chronicle.revision, () => selection.isBusy);
  sight.show(true, true);
  selection.select(sight.now.ids[0] ?? null);
  selection.chooseTo(sight.now.ids.at(-1) ?? '');
  expect(selection.chosen.size).toBe(all);
  const going = sight.now.ids.slice(10, 1_010);
  sight.turn(() => {
    for (const id of going) chronicle.leave({ id, before: 11, revision: chronicle.revision + 1 });
    return { ids: [], gone: going };
  });
  expect(sight.gone.size).toBe(1_000);
  selection.unchoose();
  selection.stepOff(going);
  selection.select(null);
  sight.release();
  expect([sight.now.ids.length, sight.layout.length]).toEqual([all - 1_000, all - 1_000]);
});
