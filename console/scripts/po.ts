// Reads catalogues (GNU gettext's PO) for the build: `import catalogue from '….po'` gives each message's forms by its English words.
import { readFileSync } from 'node:fs';
import { po } from 'gettext-parser';
import type { Plugin } from 'vite';

import type { Catalogue } from '../src/language/catalogue';

/** A catalogue's messages by their English words. */
export function read(file: string): Catalogue {
  const { translations } = po.parse(readFileSync(file));
  const messages = Object.values(translations[''] ?? {}).filter((one) => one.msgid !== '' && one.msgstr.some(Boolean));
  return Object.fromEntries(messages.map((one) => [one.msgid, one.msgstr]));
}

/** Lets Vite import catalogues. */
export function catalogues(): Plugin {
  return {
    name: 'catalogues',
    load(id) {
      return id.endsWith('.po') ? `export default ${JSON.stringify(read(id))};` : undefined;
    },
  };
}
