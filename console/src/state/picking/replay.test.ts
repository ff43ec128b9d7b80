// Replays what the picker's machine did in the service's language, and compares state by state. The sequences are made by
// `cargo test -p yadori-e2e --test picker_forms`, which calls this.
import { readFileSync } from 'node:fs';
import { expect, test } from 'vitest';

import type { Ask, Wish } from './asks';
import { Picker } from './machine';

type Happens =
  | { ask: Ask }
  | { listed: { number: number; prefix: string; count: number; more: boolean } }
  | { failed: number }
  | { gone: string }
  | { resize: number };

interface Step {
  happens: Happens;
  wishes: Wish[];
  state: Record<string, unknown>;
}

const file = process.env['YADORI_SEQUENCES'];

function seen(picker: Picker): Record<string, unknown> {
  const state = JSON.parse(JSON.stringify(picker)) as Record<string, unknown>;
  const { ids } = picker;
  return { ...state, ids: [ids.length, ids[0] ?? null, ids.at(-1) ?? null, picker.marked ?? null] };
}

function make(picker: Picker, happens: Happens): Wish[] {
  if ('ask' in happens) return picker.ask(happens.ask);
  if ('listed' in happens) {
    const { number, prefix, count, more } = happens.listed;
    return picker.listed(number, Array.from({ length: count }, (_, n) => `${prefix}${n}`), more);
  }
  if ('failed' in happens) picker.failed(happens.failed);
  else if ('gone' in happens) picker.gone(happens.gone);
  else picker.resize(happens.resize);
  return [];
}

test.skipIf(!file)('both forms of the picker do the same', () => {
  const sequences = JSON.parse(readFileSync(file ?? '', 'utf8')) as { swapped: boolean; steps: Step[] }[];
  expect(sequences.length).toBeGreaterThan(100);
  for (const { swapped, steps } of sequences) {
    const [picker] = Picker.open(swapped);
    for (const { happens, wishes, state } of steps) {
      const done = make(picker, happens);
      expect([happens, done, seen(picker)]).toEqual([happens, wishes, state]);
    }
  }
});

test('a picker opens with a question', () => {
  expect(Picker.open(false)[1]).toEqual({ do: 'list', with: { number: 1, view: 'history', query: '', rows: 60 } });
});
