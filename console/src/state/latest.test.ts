import { expect, test } from 'vitest';

import { Latest } from './latest.svelte';

/** Questions, each answered when the test says so. */
function questions() {
  const asked: { promise: Promise<string>; answer: (words: string) => void; refuse: (why: Error) => void }[] = [];
  const ask = () => {
    let [answer, refuse] = [(_: string) => {}, (_: Error) => {}];
    const promise = new Promise<string>((yes, no) => ([answer, refuse] = [yes, no]));
    asked.push({ promise, answer, refuse });
    return promise;
  };
  const settled = async (n: number) => void (await asked[n]?.promise.catch(() => {}));
  return { asked, ask, settled };
}

test('what was read stays until it has been read anew, and also when that does not come about', async () => {
  const { asked, ask, settled } = questions();
  const latest = new Latest<string>();
  expect([latest.value, latest.problem]).toEqual([null, '']);
  latest.read(ask());
  asked[0]?.answer('first');
  await settled(0);
  expect(latest.value).toBe('first');
  latest.read(ask());
  expect(latest.value).toBe('first');
  asked[1]?.refuse(new Error('the service is away'));
  await settled(1);
  expect([latest.value, latest.problem]).toEqual(['first', 'the service is away']);
  latest.read(ask());
  asked[2]?.answer('third');
  await settled(2);
  expect([latest.value, latest.problem]).toEqual(['third', '']);
});

test('whatever the order in which answers come, the last question is the one that counts', async () => {
  const orders = [[0, 1, 2], [0, 2, 1], [1, 0, 2], [1, 2, 0], [2, 0, 1], [2, 1, 0]];
  for (const order of orders) {
    const { asked, ask, settled } = questions();
    const latest = new Latest<string>();
    [0, 1, 2].forEach(() => latest.read(ask()));
    for (const n of order) {
      if (n === 1) asked[n]?.refuse(new Error('away'));
      else asked[n]?.answer(`${n}`);
      await settled(n);
      if (latest.value !== null) expect(latest.value, `${order}`).toBe('2');
    }
    expect([latest.value, latest.problem], `${order}`).toEqual(['2', '']);
  }
});

test('an answer to what is not asked any more is none', async () => {
  const { asked, ask, settled } = questions();
  const latest = new Latest<string>();
  latest.read(ask());
  asked[0]?.answer('first');
  await settled(0);
  latest.read(ask());
  latest.clear();
  asked[1]?.answer('second');
  await settled(1);
  expect([latest.value, latest.problem]).toEqual([null, '']);
});
