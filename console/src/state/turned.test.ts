import { expect, test } from 'vitest';

import { Chronicle } from './chronicle';
import { dice, row, windowOf } from './testing';
import { Turned } from './turned';

test('whatever comes and goes, alone or together, is read behind or anew: it is the history from its other end, and what it says has stayed has', () => {
  for (let seed = 1; seed <= 60; seed++) {
    const roll = dice(seed * 15_485_863);
    const chronicle = new Chronicle();
    chronicle.load(windowOf(40, null, 20));
    const turned = new Turned(chronicle);
    let made = 100;
    let before = [...turned.follow().ids];
    turned.follow().steady?.ask(before.length);
    const change = () => {
      const length = chronicle.ids.length;
      if (roll(3) > 0 || length < 5) {
        const to = roll(Math.min(length, 4));
        chronicle.arrive({ row: { ...row(++made), place: to + 1, copied_at: made * 1e6 }, before: null, revision: chronicle.revision + 1, copied: true });
      } else {
        const at = roll(length);
        chronicle.leave({ id: chronicle.ids[at] ?? '', before: at + 1, revision: chronicle.revision + 1 });
      }
    };
    for (let n = 0; n < 80; n++) {
      const what = roll(12);
      if (what === 0 && chronicle.next !== null) {
        chronicle.asking();
        chronicle.append(windowOf(40, chronicle.next, 5, { revision: chronicle.revision }));
      } else if (what === 1) chronicle.load(windowOf(40, null, 20, { revision: chronicle.revision }));
      else if (what < 4) chronicle.together(() => { for (let k = roll(30); k > 0; k--) change(); });
      else change();
      if (roll(3) === 0) continue;
      const now = turned.follow();
      const where = `seed ${seed}, step ${n}`;
      expect([now.ids, now.kinds, now.times], where).toEqual([chronicle.ids.toReversed(), chronicle.kinds.toReversed(), chronicle.times.toReversed()]);
      const same = now.steady?.ask(now.ids.length) ?? 0;
      expect(now.ids.slice(0, same), where).toEqual(before.slice(0, same));
      before = [...now.ids];
    }
  }
});

test('one that comes to a long history moves nothing else', () => {
  const chronicle = new Chronicle();
  chronicle.load(windowOf(5_000, null, 5_000));
  const turned = new Turned(chronicle);
  const { ids, steady } = turned.follow();
  steady?.ask(ids.length);
  chronicle.arrive({ row: { ...row(9_000), place: 1 }, before: null, revision: chronicle.revision + 1, copied: true });
  expect(turned.follow().ids).toBe(ids);
  expect(ids.at(-1)).toBe(chronicle.ids[0]);
  expect(steady?.ask(ids.length)).toBe(5_000);
});
