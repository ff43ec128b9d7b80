// Server-sent events read from a fetched stream (the browser's own EventSource can't carry a key).

export interface Message {
  id: string;
  event: string;
  data: string;
}

/** Takes text in as it comes and gives out whole messages (WHATWG HTML, section 9.2.6). */
export class MessageReader {
  #rest = '';

  feed(text: string): Message[] {
    this.#rest += text;
    const blocks = this.#rest.split(/\r?\n\r?\n/);
    this.#rest = blocks.pop() ?? '';
    return blocks.flatMap((block) => {
      const message = { id: '', event: 'message', data: '' };
      let hasData = false;
      for (const line of block.split(/\r?\n/)) {
        const colon = line.indexOf(':');
        if (colon <= 0) continue; // a comment, as sent to keep the connection alive
        const field = line.slice(0, colon);
        const value = line.slice(colon + 1).replace(/^ /, '');
        if (field === 'data') {
          message.data += (hasData ? '\n' : '') + value;
          hasData = true;
        } else if (field === 'id') message.id = value;
        else if (field === 'event') message.event = value;
      }
      return hasData ? [message] : [];
    });
  }
}
