declare module '*.po' {
  const catalogue: import('./catalogue').Catalogue;
  export default catalogue;
}

declare module 'gettext-parser' {
  interface Message {
    msgid: string;
    msgid_plural?: string;
    msgstr: string[];
  }
  export const po: { parse(input: Uint8Array | string): { headers: Record<string, string>; translations: Record<string, Record<string, Message>> } };
}
