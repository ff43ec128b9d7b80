// Every text of the console is in every catalogue, and no text stands outside of them.
import { readdirSync, readFileSync } from 'node:fs';
import { po } from 'gettext-parser';
import { describe, expect, it } from 'vitest';

import { textsOf } from '../../scripts/texts';

const files = readdirSync('src', { recursive: true, encoding: 'utf8' })
  .filter((file) => /\.(ts|svelte)$/.test(file) && !/\.test\.ts$|\.d\.ts$|^language\/|testing\.ts$/.test(file))
  .map((file) => `src/${file}`);
const texts = new Map(files.map((file) => [file, textsOf(file)]));
const said = new Map([...texts.values()].flatMap((one) => [...one.said]));
const holes = (text: string): string[] => [...text.matchAll(/\{\w+\}/g)].map(([hole]) => hole).sort();

it('reads all of the console', () => {
  expect(files.length).toBeGreaterThan(100);
  expect(said.size).toBeGreaterThan(500);
});

it('no text stands outside the catalogues', () => {
  const outside = [...texts].flatMap(([file, one]) => one.outside.map((text) => `${file}:${text}`));
  expect(outside).toEqual([]);
});

describe.each(['ja'])('the catalogue of %s', (language) => {
  const { headers, translations } = po.parse(readFileSync(`../locales/console/${language}.po`));
  const known = new Map(Object.values(translations[''] ?? {}).filter((one) => one.msgid !== '').map((one) => [one.msgid, one]));
  const forms = Number(/nplurals=(\d+)/.exec(headers['Plural-Forms'] ?? '')?.[1]);

  it('has every message, and no other', () => {
    expect([...said.keys()].filter((text) => !known.get(text)?.msgstr.every(Boolean))).toEqual([]);
    expect([...known.keys()].filter((text) => !said.has(text))).toEqual([]);
  });

  it('has the same holes, and as many forms as the language', () => {
    expect(forms).toBe(new Intl.PluralRules(language).resolvedOptions().pluralCategories.length);
    for (const [text, many] of said) {
      const one = known.get(text);
      expect(one?.msgid_plural ?? null, text).toBe(many);
      expect(one?.msgstr.length, text).toBe(many === null ? 1 : forms);
      for (const form of one?.msgstr ?? []) expect(holes(form), text).toEqual(holes(text));
    }
  });
});
