import { expect, test } from 'vitest';

import { EXACT, Reach, TALLEST } from './reach';
import { dice } from './testing';

const VIEW = 700;

/** A list in a browser: its bar can't leave what is laid out. */
class Box {
  reach = new Reach();
  bar = 0;
  constructor(public full: number) {
    this.lay(full);
  }
  #moved(moves: boolean): void {
    if (moves) this.bar = this.#within(this.reach.bar);
  }
  #within = (bar: number): number => Math.max(0, Math.min(bar, Reach.tall(this.full) - VIEW));
  lay(full: number): void {
    this.full = full;
    const moves = this.reach.lay(full, VIEW);
    this.bar = this.#within(this.bar);
    this.#moved(moves);
  }
  by(step: number): void {
    this.to(this.bar + step);
  }
  to(bar: number): void {
    const there = this.#within(bar);
    if (there === this.bar) return;
    this.bar = there;
    this.#moved(this.reach.scrolled(there));
  }
  go(at: number): void {
    this.reach.go(at);
    this.bar = this.#within(this.reach.bar);
  }
}

test('a list that can be laid out is scrolled as it is', () => {
  const box = new Box(TALLEST);
  box.by(300);
  box.to(5_000_000);
  expect([box.reach.at, box.bar]).toEqual([5_000_000, 5_000_000]);
  box.go(12);
  expect([box.reach.at, box.bar]).toEqual([12, 12]);
});

test('of a list of any height small steps are exact, both ends are where the bar ends, and the bar is never stuck', () => {
  for (let seed = 1; seed <= 60; seed++) {
    const roll = dice(seed * 15_485_863);
    let full = TALLEST + 1 + roll(60_000_000);
    const box = new Box(full);
    for (let n = 0; n < 400; n++) {
      const { at } = box.reach;
      const what = roll(7);
      const where = `seed ${seed}, step ${n}, ${what}`;
      if (what <= 3) {
        const by = (roll(2) === 0 ? 1 : -1) * (1 + roll(2 * VIEW));
        box.by(by);
        // The bar ends only where the list does.
        expect(Math.abs(box.reach.at - Math.max(0, Math.min(at + by, full - VIEW))), where).toBeLessThanOrEqual(1);
      } else if (what === 4) box.to(roll(TALLEST));
      else if (what === 5) {
        const to = roll(full - VIEW);
        box.go(to);
        expect(box.reach.at, where).toBe(to);
      } else {
        // More is read behind what is there, or some of it goes.
        full = Math.max(TALLEST + 1, full + roll(2_000_000) - 800_000);
        box.lay(full);
        expect(Math.abs(box.reach.at - Math.min(at, full - VIEW)), where).toBeLessThanOrEqual(1);
      }
      expect(box.reach.at >= 0 && box.reach.at <= full - VIEW, where).toBe(true);
      if (box.reach.at > EXACT && box.reach.at < full - VIEW - EXACT) expect(box.bar > 0 && box.bar < TALLEST - VIEW, where).toBe(true);
    }
    box.to(Infinity);
    expect([box.reach.at, box.bar]).toEqual([full - VIEW, TALLEST - VIEW]);
    box.to(0);
    expect(box.reach.at).toBe(0);
  }
});

test('thousands of small steps lead through all of it', () => {
  const box = new Box(TALLEST + 12_000_000);
  let steps = 0;
  for (; box.reach.at < box.full - VIEW && steps < 100_000; steps++) box.by(2 * VIEW);
  expect(steps).toBe(Math.ceil((box.full - VIEW) / (2 * VIEW)));
});

test('a list that grows beyond what can be laid out, and back, is seen from where it was', () => {
  const box = new Box(TALLEST - 10);
  box.to(3_000_000);
  box.lay(TALLEST + 30_000_000);
  expect(box.reach.at).toBe(3_000_000);
  expect(box.bar).toBeLessThan(2_000_000);
  box.lay(TALLEST - 10);
  expect([box.reach.at, box.bar]).toEqual([3_000_000, 3_000_000]);
});
