// The clean-ups of a text on its way out, in the service's order: their names, and how they are called on the screen.
export const TIDY = [
  ['plain', 'Plain text'],
  ['trim', 'Trim'],
  ['one-line', 'One line'],
  ['unwrap', 'Unwrap'],
  ['unlist', 'No numbers and bullets'],
  ['blanks', 'No blank lines twice'],
  ['quotes', 'Straight quotes'],
  ['upper', 'UPPER'],
  ['lower', 'lower'],
  ['sentence', 'Sentence case'],
  ['title', 'Title Case'],
  ['links', 'No tracking in links'],
  ['decode', 'Decode %20'],
  ['json', 'Lay out JSON'],
] as const;
