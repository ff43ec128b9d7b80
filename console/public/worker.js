// Receives what other programs of the phone share with the console, and leaves it where the page looks for it.
const PLACE = 'shared';

self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));

async function receive(request) {
  const form = await request.formData();
  const place = await caches.open(PLACE);
  const words = ['title', 'text', 'link'].map((name) => String(form.get(name) ?? '').trim());
  // A title that the text begins with says nothing more.
  const [title, text, link] = words;
  const parts = [text === '' && link === '' ? title : '', text, text.includes(link) ? '' : link];
  await place.put('/shared/text', new Response(parts.filter(Boolean).join('\n')));
  const files = form.getAll('files').filter((one) => typeof one !== 'string');
  await Promise.all(files.map((file, n) => place.put(`/shared/${n}`, new Response(file, { headers: { 'content-type': file.type } }))));
  return Response.redirect('/#/history', 303);
}

self.addEventListener('fetch', (event) => {
  const { request } = event;
  if (request.method === 'POST' && new URL(request.url).pathname === '/share') event.respondWith(receive(request));
});
