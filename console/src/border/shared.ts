// What another program of a phone shares with the console: the worker receives it, and leaves it here for the page.
import type { Shared } from '../state/page';

const PLACE = 'shared';

/** The worker, where this browser runs one: not before the phone trusts the certificate. */
export function startWorker(): void {
  if (window.location.protocol !== 'https:' || !('serviceWorker' in navigator)) return;
  navigator.serviceWorker.register('/worker.js').catch(() => {});
}

/** What was shared, once. */
export async function shared(): Promise<Shared | null> {
  if (!('caches' in window) || !(await caches.has(PLACE))) return null;
  const place = await caches.open(PLACE);
  const found: Shared = { text: '', files: [] };
  for (const request of await place.keys()) {
    const answer = await place.match(request);
    if (!answer) continue;
    if (new URL(request.url).pathname === '/shared/text') found.text = await answer.text();
    else found.files.push(await answer.blob());
  }
  await caches.delete(PLACE);
  return found.text || found.files.length > 0 ? found : null;
}
