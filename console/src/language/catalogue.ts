// The shape of a catalogue as the build reads it from a PO file: by a message's English words, its forms in order.
export type Catalogue = Record<string, string[]>;
