// A console for tests, and the time that it needs.
import { Console } from './console.svelte';
import { outline, serviceOf, TestPage } from './testing';

/** Lets everything happen that waits for nothing. */
export const settled = async () => {
  for (let n = 0; n < 50; n++) await Promise.resolve();
};

/** A console that has read a history of so many clips. */
export async function opened(clips: number, answers: Parameters<typeof serviceOf>[0] = {}, page = new TestPage()): Promise<{ console: Console; page: TestPage }> {
  const service = serviceOf({
    canEnter: () => Promise.resolve(true),
    outline: () => Promise.resolve(outline(clips)),
    drawers: () => Promise.resolve({ drawers: [], favorites: 0 }),
    favoritesOutline: () => Promise.resolve({ ids: '', kinds: '', ranks: [], dividers: [], revision: 0 }),
    events: () => Promise.resolve(new ReadableStream()),
    ...answers,
  });
  const console = new Console(service, page);
  await console.open();
  await settled();
  return { console, page };
}
