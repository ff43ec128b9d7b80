import { expect, test } from 'vitest';

import { opened, settled } from './opened';
import { arrival, idOf, TestPage } from './testing';

test('however much comes, and however long it takes to show it, whoever looks on keeps most of the time', async () => {
  let tell: (revision: number, copied: boolean) => void = () => {};
  const events = () =>
    Promise.resolve(
      new ReadableStream({
        start: (stream) => {
          tell = (revision, copied) => stream.enqueue({ event: 'clip', data: JSON.stringify({ ...JSON.parse(arrival(2 + revision, revision)), copied }) });
        },
      }),
    );
  for (const [takes, copied, share] of [
    [40, false, 0.2],
    [40, true, 0.3],
    [1, false, 0.2],
    [400, false, 0.5],
  ] as const) {
    const page = new TestPage();
    const { console } = await opened(3, { events }, page);
    void console.arrivals.listen();
    await settled();
    let busy = 0;
    const nothing = () => {};
    console.sight.view = {
      before: nothing,
      anew: nothing,
      after: () => {
        page.time += takes;
        busy += takes;
      },
    };
    const began = page.now();
    for (let n = 1; n <= 400; n++) {
      tell(n, copied);
      await settled();
      page.pass(10);
    }
    expect(busy, `${takes} ms`).toBeGreaterThan(takes);
    expect(busy / (page.now() - began), `${takes} ms`).toBeLessThan(share);
    // All of it is there in the end, without anything else that comes.
    for (let n = 0; n < 200; n++) page.pass(10);
    expect(console.sight.now.ids.length).toBe(403);
    // What comes after a while is shown with the next frame.
    tell(401, false);
    await settled();
    page.pass(16);
    expect(console.sight.now.ids[0]).toBe(idOf(403));
  }
});
