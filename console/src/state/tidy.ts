// The clean-ups of a text on its way out, in the service's order: their names, and how they are called on the screen.
import { msg } from '../language/language.svelte';

export const TIDY = [
  ['plain', msg('Plain text')],
  ['trim', msg('Trim')],
  ['one-line', msg('One line')],
  ['unwrap', msg('Unwrap')],
  ['unlist', msg('No numbers and bullets')],
  ['blanks', msg('No blank lines twice')],
  ['quotes', msg('Straight quotes')],
  ['upper', msg('UPPER')],
  ['lower', msg('lower')],
  ['sentence', msg('Sentence case')],
  ['title', msg('Title Case')],
  ['links', msg('No tracking in links')],
  ['decode', msg('Decode %20')],
  ['json', msg('Lay out JSON')],
] as const;
