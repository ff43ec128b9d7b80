import { expect, test } from 'vitest';

import { opened } from './opened';
import { idOf, row, type serviceOf, TestPage } from './testing';

async function onPhone(answers: Parameters<typeof serviceOf>[0], page = new TestPage()): ReturnType<typeof opened> {
  page.onPhone = true;
  return opened(3, answers, page);
}

test('what is taken on a phone goes to its own clipboard, whole, and the computer’s is left alone', async () => {
  const whole = 'Rope: 40 m, '.repeat(200_000);
  const detail = (id: string) => Promise.resolve({ row: row(1), text: id === idOf(1) ? 'Rope: 40 m' : whole.slice(0, 9), text_cut: id !== idOf(1), representations: [{ mime: 'text/html' }, { mime: 'text/plain;charset=utf-8' }], earlier: [] });
  const representation = (_: string, n: number) => Promise.resolve(new Blob([n === 1 ? whole : 'another']));
  const { console, page } = await onPhone({ detail, representation });
  await console.acts.take(idOf(1), 'ready');
  await console.acts.take(idOf(2), 'ready');
  expect(page.put.map((one) => one.type)).toEqual(['text/plain', 'text/plain']);
  expect(page.put[0]?.text).toBe('Rope: 40 m');
  expect(page.put[1]?.text === whole).toBe(true);
});

test('what was typed stays until it is in the history', async () => {
  let works = false;
  const added: string[] = [];
  const add = (text: string) => (works ? Promise.resolve(added.push(text)) : Promise.reject(new Error('the service does not answer')));
  const { console } = await onPhone({ add });
  console.phone.adding = true;
  console.phone.text = 'Two guests more';
  await console.phone.addText();
  expect([console.phone.text, console.phone.adding]).toEqual(['Two guests more', true]);
  works = true;
  await console.phone.addText();
  expect([console.phone.text, console.phone.adding]).toEqual(['', false]);
  expect(added).toEqual(['Two guests more']);
});

test('what another program has shared comes in, and what can’t be added waits in the sheet', async () => {
  const page = new TestPage();
  page.wasShared = { text: 'https://example.org/huts', files: [new Blob(['a picture'], { type: 'image/png' })] };
  const blobs: string[] = [];
  const addBlob = (blob: Blob) => Promise.resolve(blobs.push(blob.type));
  const { console } = await onPhone({ add: () => Promise.reject(new Error('no')), addBlob }, page);
  expect(console.phone.text).toBe('https://example.org/huts');
  expect(blobs).toEqual(['image/png']);
});
