import { expect, test } from 'vitest';

import { helpLines, isSingle, Keys, KEYS, type Command, type Press, type Where } from './keys.svelte';
import { TestPage } from './testing';

const press = (key: string, more: Partial<Press> = {}): Press => ({
  key,
  code: '',
  isComposing: false,
  keyCode: 0,
  ctrlKey: false,
  metaKey: false,
  altKey: false,
  shiftKey: false,
  ...more,
});

const all = Object.entries(KEYS) as [Command, (typeof KEYS)[Command]][];

test('no press means two things in one place', () => {
  const taken = new Map<string, string>();
  for (const [name, key] of all) {
    for (const where of key.where) {
      for (const stroke of key.strokes as readonly { key: string; ctrl?: boolean; alt?: boolean; shift?: boolean }[]) {
        for (const shift of stroke.shift === undefined ? [false, true] : [stroke.shift]) {
          const id = [where, stroke.key, stroke.ctrl ?? false, stroke.alt ?? false, shift].join(' ');
          expect(taken.get(id), `${name}: ${id}`).toBeUndefined();
          taken.set(id, name);
        }
      }
    }
  }
});

test('every stroke of the table is its command wherever it holds, and nothing elsewhere', () => {
  const places: Where[] = ['page', 'list', 'kept', 'drawers', 'search', 'picker', 'editor', 'form', 'chart'];
  for (const [name, key] of all) {
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
  expect(new Keys().command(press('P', { shiftKey: true }), 'list')).toBe('pin');
  expect(new Keys().command(press('U'), 'page')).toBe('undo');
  expect(new Keys().command(press('U', { shiftKey: true }), 'page')).toBe('redo');
  expect(new Keys().command(press('p', { ctrlKey: true }), 'list')).toBeNull();
  expect(new Keys().command(press('Z', { metaKey: true, shiftKey: true }), 'page')).toBe('redo');
});

test('a letter of the list and one of the page are never the same', () => {
  const singles = (where: Where) => all.filter(([name, key]) => isSingle(name) && (key.where as readonly Where[]).includes(where)).flatMap(([, key]) => key.strokes.map((one) => one.key));
  expect(singles('list').filter((key) => singles('page').includes(key))).toEqual([]);
});

test('on a keyboard of another alphabet keys are found by their place', () => {
  const keys = new Keys();
  expect(keys.command(press('.', { code: 'Slash' }), 'page')).toBeNull();
  expect(keys.command(press('з', { code: 'KeyP' }), 'list')).toBe('pin');
  expect(keys.command(press('З', { code: 'KeyP', shiftKey: true }), 'list')).toBe('pin');
  expect(keys.command(press('Delete', { code: 'Delete' }), 'list')).toBe('remove');
  expect(keys.command(press('.', { code: 'Slash' }), 'page')).toBe('toSearch');
  expect(keys.command(press(',', { code: 'Slash', shiftKey: true }), 'page')).toBe('help');
  // Digits by their place where the upper row writes signs.
  expect(keys.command(press('&', { code: 'Digit1' }), 'page')).toBe('favorite');
  expect(Keys.digit(press('&', { code: 'Digit1' }))).toBe(1);
  // A Latin layout with its letters elsewhere is read by what it writes.
  expect(keys.command(press('p', { code: 'KeyR' }), 'list')).toBe('pin');
});

test('what an input method has is no command', () => {
  for (const key of ['Enter', 'Escape', 'p', '1']) {
    for (const where of ['page', 'list', 'search', 'editor', 'form', 'picker'] as const) {
      expect(new Keys().command(press(key, { isComposing: true }), where)).toBeNull();
      expect(new Keys().command(press(key, { keyCode: 229 }), where)).toBeNull();
    }
  }
});

test('single letters can be changed and switched off, and stay so', () => {
  const page = new TestPage();
  const keys = new Keys(page);
  expect(keys.give('pin', 'd')).toContain('drawer');
  expect(keys.give('pin', 'w')).toBeNull();
  expect(keys.command(press('w'), 'list')).toBe('pin');
  expect(keys.command(press('p'), 'list')).toBeNull();
  expect(keys.shown('pin')).toBe('W');
  expect(keys.give('title', 'p')).toBeNull();
  expect(new Keys(page).shown('title')).toBe('P');
  keys.single = false;
  keys.save();
  const off = new Keys(page);
  for (const [name, key] of all.filter(([name]) => isSingle(name) || name === 'favorite')) {
    for (const where of key.where) for (const stroke of key.strokes) if (!('ctrl' in stroke)) expect(off.command(press(stroke.key), where), name).toBeNull();
    expect(off.shown(name)).toBe('');
  }
  expect(off.command(press('Enter'), 'list')).toBe('take');
  expect(off.command(press('Delete'), 'list')).toBe('remove');
});

test('the help page tells every key that stands on a button', () => {
  const told = helpLines().map(([command]) => command);
  for (const command of ['take', 'takePlain', 'pin', 'drawer', 'title', 'color', 'edit', 'bringUp', 'choose', 'remove', 'save', 'leave'] as const) {
    expect(told).toContain(command);
  }
});
