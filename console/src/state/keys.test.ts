import { expect, test } from 'vitest';

import { helpLines, Keys, KEYS, type Command, type Press, type Where } from './keys';

const press = (key: string, more: Partial<Press> = {}): Press => ({
  key,
  ctrlKey: false,
  metaKey: false,
  altKey: false,
  shiftKey: false,
  timeStamp: 0,
  ...more,
});

const all = Object.entries(KEYS) as [Command, (typeof KEYS)[Command]][];

test('no press means two things in one place', () => {
  const taken = new Map<string, string>();
  for (const [name, key] of all) {
    for (const where of key.where) {
      for (const stroke of key.strokes as readonly { key: string; ctrl?: boolean; alt?: boolean; shift?: boolean }[]) {
        for (const shift of stroke.shift === undefined ? [false, true] : [stroke.shift]) {
          const after = 'after' in key ? key.after : '';
          const id = [where, stroke.key, stroke.ctrl ?? false, stroke.alt ?? false, shift, after].join(' ');
          expect(taken.get(id), `${name}: ${id}`).toBeUndefined();
          taken.set(id, name);
        }
      }
    }
  }
});

test('every stroke of the table is its command wherever it holds, and nothing elsewhere', () => {
  const places: Where[] = ['page', 'history', 'kept', 'drawers', 'search', 'picker', 'editor', 'form', 'chart'];
  for (const [name, key] of all) {
    if ('after' in key) continue;
    for (const stroke of key.strokes as readonly { key: string; ctrl?: boolean; alt?: boolean; shift?: boolean }[]) {
      const one = press(stroke.key, { ctrlKey: stroke.ctrl ?? false, altKey: stroke.alt ?? false, shiftKey: stroke.shift ?? false });
      for (const where of places) {
        const found = new Keys().command(one, where);
        if ((key.where as readonly Where[]).includes(where)) expect(found).toBe(name);
        else expect(found).not.toBe(name);
      }
    }
  }
});

test('capital letters are the same keys, and a letter with Ctrl is none', () => {
  expect(new Keys().command(press('P', { shiftKey: true }), 'history')).toBe('pin');
  expect(new Keys().command(press('U'), 'page')).toBe('undo');
  expect(new Keys().command(press('U', { shiftKey: true }), 'page')).toBe('redo');
  expect(new Keys().command(press('p', { ctrlKey: true }), 'history')).toBeNull();
  expect(new Keys().command(press('Z', { metaKey: true, shiftKey: true }), 'page')).toBe('redo');
});

test('a second stroke counts only soon after the first', () => {
  const keys = new Keys();
  expect(keys.command(press('f'), 'page')).toBeNull();
  expect(keys.command(press('g', { timeStamp: 100 }), 'page')).toBe('go');
  expect(keys.command(press('f', { timeStamp: 1_500 }), 'page')).toBe('goFavorites');
  expect(keys.command(press('f', { timeStamp: 1_700 }), 'page')).toBeNull();
});

test('the help page tells every key that stands on a button', () => {
  const told = helpLines().map(([shown]) => shown);
  for (const command of ['take', 'takePlain', 'pin', 'drawer', 'title', 'color', 'edit', 'bringUp', 'remove', 'save', 'leave'] as const) {
    expect(told).toContain(KEYS[command].shown);
  }
  expect(new Set(told).size).toBe(told.length);
});
