import { expect, test } from 'vitest';

import { MessageReader } from './sse';

test('messages are whole however the stream is cut', () => {
  const stream = ': hello\n\nid: e-1\nevent: clip\ndata: {"a":1}\n\nid: e-2\nevent: gone\ndata: {\ndata: }\n\n';
  for (let size = 1; size < stream.length; size++) {
    const reader = new MessageReader();
    const got = [];
    for (let at = 0; at < stream.length; at += size) got.push(...reader.feed(stream.slice(at, at + size)));
    expect(got).toEqual([
      { id: 'e-1', event: 'clip', data: '{"a":1}' },
      { id: 'e-2', event: 'gone', data: '{\n}' },
    ]);
  }
});
