// A browser and a service for tests of the state: time stands still until it is told to go on, answers come when the
// test gives them.
import type { ClipEvent, Outline, Row } from '../api/types';
import type { Service } from '../border/service';
import type { Page, Shared } from './page';

export class TestPage implements Page {
  onPhone = false;
  /** What was put on the clipboard. */
  put: { type: string; text: string }[] = [];
  putHere = async (what: Promise<Blob>, type: string): Promise<void> => {
    this.put.push({ type, text: await (await what).text() });
  };
  wasShared: Shared | null = null;
  shared = (): Promise<Shared | null> => Promise.resolve(this.wasShared);
  fragment = '';
  keptsHere = new Map<string, string>();
  kepts = new Map<string, string>();
  focused: string[] = [];
  time = 0;
  #timers: { at: number; work: () => void }[] = [];

  go(fragment: string): void {
    this.fragment = fragment;
  }
  replace(fragment: string): void {
    this.fragment = fragment;
  }
  hideFragment(): void {
    this.fragment = '';
  }
  kept = (name: string): string | null => this.kepts.get(name) ?? null;
  /** No more is kept than this. */
  room = Infinity;
  keep(name: string, value: string | null): boolean {
    if (value === null) this.kepts.delete(name);
    else if (value.length > this.room) return false;
    else this.kepts.set(name, value);
    return true;
  }
  keptHere = (name: string): string | null => this.keptsHere.get(name) ?? null;
  keepHere(name: string, value: string): void {
    this.keptsHere.set(name, value);
  }
  after(ms: number, work: () => void): () => void {
    const timer = { at: this.time + ms, work };
    this.#timers.push(timer);
    return () => (this.#timers = this.#timers.filter((one) => one !== timer));
  }
  withNextFrame(work: () => void): void {
    this.after(16, work);
  }
  focus(id: string): void {
    this.focused.push(id);
  }
  chimes = 0;
  chime(): void {
    this.chimes++;
  }
  closed = false;
  close(): void {
    this.closed = true;
  }
  now = (): number => this.time;

  /** Lets time pass, and everything happen that is due by then. */
  pass(ms: number): void {
    this.time += ms;
    const due = this.#timers.filter((one) => one.at <= this.time).sort((a, b) => a.at - b.at);
    this.#timers = this.#timers.filter((one) => one.at > this.time);
    due.forEach((one) => one.work());
  }
}

/** A small generator of numbers that look random (xorshift), the same in each run. */
export function dice(seed: number): (below: number) => number {
  let x = seed | 1;
  return (below) => {
    x ^= x << 13;
    x ^= x >>> 17;
    x ^= x << 5;
    return Math.abs(x) % below;
  };
}

export const idOf = (n: number): string => `clip${n}x`.padEnd(26, '0');

export const row = (n: number, more: Partial<Row> = {}): Row =>
  ({ id: idOf(n), kind: 'text', head: `clip ${n}`, copies: 1, copied_at: n * 1e6, place: 1, source: {}, ...more }) as Row;

/** An outline of clips `n - 1 … 0`, newest first. */
export const outline = (n: number): Outline =>
  ({
    ids: Array.from({ length: n }, (_, at) => idOf(n - 1 - at)).join(''),
    kinds: 't'.repeat(n),
    times: Array.from({ length: n }, (_, at) => (at === 0 ? n - 1 : 1)),
    revision: 0,
    total: n,
    epoch: 'e',
  }) as unknown as Outline;

/** The window of so many of them behind the one that `after` names. */
export const windowOf = (n: number, after: string | null, limit: number, more: Partial<Outline> = {}): Outline => {
  const from = after === null ? 0 : Number(after);
  const ids = Array.from({ length: Math.min(limit, n - from) }, (_, at) => n - 1 - from - at);
  const next = from + ids.length < n ? String(from + ids.length) : null;
  const times = ids.map((one, at) => (at === 0 ? one : 1));
  return { ids: ids.map(idOf).join(''), kinds: 't'.repeat(ids.length), times, revision: 0, total: n, epoch: 'e', next, ...more };
};

/** The event of a clip that has come to the top. */
export const arrival = (n: number, revision: number): string => {
  const event: ClipEvent = { row: row(n), before: null, revision, copied: true };
  return JSON.stringify(event);
};

/** A service that answers what it is given here, and refuses the rest. */
export function serviceOf(answers: Partial<Record<keyof Service, unknown>>): Service {
  return new Proxy(answers, {
    get: (known, name) => known[name as keyof Service] ?? (() => Promise.reject(new Error(`${String(name)} was not expected`))),
  }) as unknown as Service;
}
