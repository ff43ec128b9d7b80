// Small changes to a query's text.
import type { Completion } from '../api/types';

const KIND = /(^|\s)kind:\S*/gi;

/** The query with this kind and no other; `null` for any kind. */
export function withKind(text: string, kind: string | null): string {
  const rest = text.replace(KIND, '').trim();
  if (!kind) return rest;
  return rest ? `${rest} kind:${kind}` : `kind:${kind}`;
}

/** The kind a query asks for. */
export function kindOf(text: string): string | null {
  return /(?:^|\s)kind:(\w+)/i.exec(text)?.[1]?.toLowerCase() ?? null;
}

/** The query with a completion in it, and where the cursor stands then (UTF-16 units). */
export function completed(text: string, completion: Completion): [string, number] {
  const chars = [...text];
  const before = chars.slice(0, completion.from).join('') + completion.insert;
  return [before + chars.slice(completion.to).join('').trimStart(), before.length];
}

export interface Piece {
  text: string;
  marked: boolean;
}

/** A text in pieces, marked or not; marks are characters from and to. */
export function pieces(text: string, marks: readonly (readonly unknown[])[]): Piece[] {
  const chars = [...text];
  const out: Piece[] = [];
  let at = 0;
  const push = (from: number, to: number, marked: boolean) => {
    if (to > from) out.push({ text: chars.slice(from, to).join(''), marked });
  };
  for (const [from, to] of marks as [number, number][]) {
    push(at, from, false);
    push(Math.max(at, from), to, true);
    at = Math.max(at, to);
  }
  push(at, chars.length, false);
  return out;
}
