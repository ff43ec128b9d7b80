import { expect, test } from 'vitest';

import type { Row } from '../api/types';
import { Chronicle } from './chronicle';
import { dice } from './testing';

const id = (n: number) => `c${n}x`.padEnd(26, '0');
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
  chronicle.load({ ids: id(3) + id(2) + id(1), kinds: 'tli', times: [1_003, 1, 500], revision: 7, epoch: 'e', total: 3 });
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

/** A service's history, and its windows. */
class Real {
  ids: string[] = [];
  revision = 0;
  events: (() => ReturnType<Chronicle['arrive']>)[] = [];
  constructor(
    count: number,
    private dice: () => number,
  ) {
    this.ids = Array.from({ length: count }, (_, n) => id(n));
  }

  part(after: string | null, limit: number) {
    const from = after === null ? 0 : this.at(Number(after));
    const ids = this.ids.slice(from, from + limit);
    const next = from + ids.length < this.ids.length ? String(this.order[from + ids.length - 1]) : null;
    return { ids: ids.join(''), kinds: 't'.repeat(ids.length), times: ids.map(() => 0), revision: this.revision, total: this.ids.length, next, epoch: 'e' };
  }

  /** Numbers that fall from the newest to the oldest: where a window goes on does not depend on what is still there. */
  order: number[] = [];
  at(key: number): number {
    const found = this.order.findIndex((one) => one < key);
    return found < 0 ? this.order.length : found;
  }

  put(one: string, to: number): void {
    const above = this.order[to - 1] ?? (this.order[0] ?? 0) + 2;
    const below = this.order[to] ?? (this.order.at(-1) ?? 0) - 2;
    this.ids.splice(to, 0, one);
    this.order.splice(to, 0, (above + below) / 2);
  }

  takeOut(at: number): string {
    this.order.splice(at, 1);
    return this.ids.splice(at, 1)[0] ?? '';
  }

  /** Something happens, anywhere. */
  happen(new_: string, chronicle: Chronicle): void {
    const at = Math.floor(this.dice() * this.ids.length);
    // Most of what happens happens at the top.
    const to = this.dice() < 0.7 ? 0 : Math.floor(this.dice() * (this.ids.length + 1));
    const kind = this.dice();
    if (kind < 0.25 && this.ids.length > 0) {
      const gone = this.takeOut(at);
      const event = { id: gone, before: at + 1, revision: ++this.revision };
      this.events.push(() => chronicle.leave(event));
    } else {
      const moves = kind < 0.6 && this.ids.length > 0;
      const one = moves ? this.takeOut(at) : new_;
      const place = Math.min(to, this.ids.length);
      this.put(one, place);
      const event = { row: { ...row(0, place + 1), id: one }, before: moves ? at + 1 : null, revision: ++this.revision };
      this.events.push(() => chronicle.arrive(event));
    }
  }
}

test('whatever happens while it is read by windows, it is in the end what there is', () => {
  let seed = 7;
  const dice = () => (seed = (seed * 16_807) % 2_147_483_647) / 2_147_483_647;
  let [whole, again, gaps] = [0, 0, 0];
  for (let round = 0; round < 400; round++) {
    const chronicle = new Chronicle();
    const real = new Real(Math.floor(dice() * 60), dice);
    real.order = real.ids.map((_, n) => 1_000 - n);
    let new_ = 1_000;
    const some = (most: number) => Array.from({ length: Math.floor(dice() * most) }, () => real.happen(id(new_++), chronicle));
    const tellOneByOne = (all: boolean): boolean => {
      while (real.events.length > 0 && (all || dice() < 0.6)) if (real.events.shift()!() === 'gap') return false;
      return true;
    };
    // One by one or as one change, which is the same.
    const tell = (all: boolean): boolean => {
      let told = true;
      if (dice() < 0.5) chronicle.together(() => (told = tellOneByOne(all)));
      else told = tellOneByOne(all);
      return told;
    };
    const begin = () => {
      chronicle.load(real.part(null, 5));
      // What is known already is passed over.
      expect(tell(true)).toBe(true);
    };
    some(4);
    begin();
    for (let steps = 0; steps < 400 && chronicle.next !== null; steps++) {
      chronicle.asking();
      const read = real.part(chronicle.next, 1 + Math.floor(dice() * 9));
      some(3);
      const told = tell(read.revision > chronicle.revision || dice() < 0.5);
      if (!told) {
        gaps++;
        real.events = [];
        begin();
        continue;
      }
      const part = chronicle.append(read);
      expect(part).not.toBe('gap');
      if (part === 'again') again++;
    }
    if (!tell(true)) continue;
    expect(chronicle.next).toBe(null);
    expect(chronicle.ids).toEqual(real.ids);
    expect(chronicle.total).toBe(real.ids.length);
    expect(chronicle.times.length).toBe(real.ids.length);
    whole++;
  }
  // The test says something: nearly all came to their end, and windows had to be asked for again.
  expect(whole).toBeGreaterThan(350);
  expect(again).toBeGreaterThan(10);
  expect(gaps).toBeLessThan(100);
});

test('a window of another run of the service is none of this history', () => {
  const chronicle = new Chronicle();
  chronicle.load({ ids: id(3), kinds: 't', times: [1_003], revision: 7, epoch: 'e', total: 2, next: '5.x' });
  expect(chronicle.append({ ids: id(2), kinds: 't', times: [1], revision: 1, epoch: 'f', total: 2 })).toBe('gap');
});

test('what comes right at the end of what has been read could be in both parts, or in none', () => {
  const chronicle = new Chronicle();
  const partial = { ids: id(3) + id(2), kinds: 'tt', times: [1_003, 1], revision: 7, epoch: 'e', total: 4, next: '5.x' };
  chronicle.load(partial);
  expect(chronicle.arrive({ row: row(9, 3), revision: 8 })).toBe('gap');
  chronicle.load(partial);
  expect(chronicle.arrive({ row: row(9, 2), revision: 8 })).toEqual({ id: id(9), from: null, to: 1 });
  expect(chronicle.arrive({ row: row(8, 5), revision: 9 })).toEqual({ id: id(8), from: null, to: 4 });
  expect([chronicle.ids.length, chronicle.total]).toEqual([3, 6]);
});

test('many that come together are where they are when they come one by one, and what is behind all of them has not changed', () => {
  const random = dice(11);
  for (let round = 0; round < 300; round++) {
    const count = random(30);
    // Once more of them than wait together.
    const coming = round === 0 ? 9_000 : random(60);
    const outline = { ids: Array.from({ length: count }, (_, n) => id(n)).join(''), kinds: 't'.repeat(count), times: Array.from({ length: count }, () => 0), revision: 0, epoch: 'e', total: count };
    const [both, revision] = [[new Chronicle(), new Chronicle()] as const, { now: 0 }];
    both.forEach((one) => one.load(outline));
    const events = Array.from({ length: coming }, (_, n) => {
      const length = count + n;
      // Some at the top, some at the end, some anywhere.
      const place = [1, length + 1, 1 + random(length + 1)][random(3)] ?? 1;
      return { row: row(100 + n, place), revision: ++revision.now };
    });
    const [together, alone] = both;
    const before = [...together.ids];
    both.forEach((one) => one.steady.ask(one.ids.length));
    const moved: unknown[] = [];
    together.together(() => moved.push(...events.map((one) => together.arrive(one))));
    expect(moved).toEqual(events.map((one) => alone.arrive(one)));
    expect([together.ids, together.kinds, together.times, together.total]).toEqual([alone.ids, alone.kinds, alone.times, alone.total]);
    const same = together.steady.ask(0);
    expect(same).toBe(alone.steady.ask(0));
    expect(together.ids.slice(together.ids.length - same)).toEqual(before.slice(before.length - same));
  }
});
