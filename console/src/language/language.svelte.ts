// The language that everything is said in. The English words stand where they are said and are the keys of the others'
// catalogues, which are GNU gettext's PO files (locales/console).
import type { Catalogue } from './catalogue';

/** Languages that there is a catalogue of, or none needed for. */
export const LANGUAGES = ['en', 'ja'] as const;
export type Language = (typeof LANGUAGES)[number];
/** What is put into the holes of a message. */
export type Holes = Record<string, string | number>;

/** Of the language that the words themselves are in. */
const NO_CATALOGUE: Catalogue = {};

let now = $state.raw<{ language: Language; catalogue: Catalogue }>({ language: 'en', catalogue: NO_CATALOGUE });

/** The language that is spoken. */
export const language = (): Language => now.language;

/** From now on this is spoken. Where it is already, nothing is said or asked for anew. */
export function speak(language: Language, catalogue = NO_CATALOGUE): void {
  if (language !== now.language || catalogue !== now.catalogue) now = { language, catalogue };
}

/** The first of these (BCP 47) that is known here. */
export const firstKnown = (wanted: readonly string[]): Language =>
  wanted.map((one) => one.toLowerCase().split('-')[0]).map((one) => LANGUAGES.find((known) => known === one)).find((one) => one !== undefined) ?? 'en';

const fill = (text: string, holes: Holes): string => text.replace(/\{(\w+)\}/g, (hole, name: string) => (name in holes ? String(holes[name]) : hole));

/** A message in the language that is spoken, with its holes filled. */
export function t(text: string, holes: Holes = {}): string {
  return fill(now.catalogue[text]?.[0] || text, holes);
}

/** Which of a message's forms is for a number, by language. Rows are counted with every keystroke, so each is made once. */
const forms = new Map<Language, (n: number) => number>();

function formOf(n: number): number {
  let form = forms.get(now.language);
  if (!form) {
    const rules = new Intl.PluralRules(now.language);
    const all = rules.resolvedOptions().pluralCategories;
    form = (n) => all.indexOf(rules.select(n));
    forms.set(now.language, form);
  }
  return form(n);
}

/** So many of something: `{n}` is the number. */
export function counted(n: number, one: string, many: string): string {
  const known = now.catalogue[one];
  const text = known?.[Math.min(formOf(n), known.length - 1)];
  return fill(text || (n === 1 ? one : many), { n: n.toLocaleString('en') });
}

/** Marks a message that is said later, with `t`. */
export const msg = (text: string): string => text;
