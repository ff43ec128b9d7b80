// Times, sizes and names in words, in the viewer's zone.
import type { Row } from '../api/types';
import { clock } from './clock.svelte';

const DAY = 86_400_000;
const hours = {
  24: new Intl.DateTimeFormat(undefined, { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }),
  12: new Intl.DateTimeFormat('en', { hour: 'numeric', minute: '2-digit', hourCycle: 'h12' }),
};
const weekday = new Intl.DateTimeFormat('en', { weekday: 'long' });
const dayMonth = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'long' });
const dayMonthYear = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', year: 'numeric' });
const full = {
  24: new Intl.DateTimeFormat('en-GB', { dateStyle: 'full', timeStyle: 'medium', hourCycle: 'h23' }),
  12: new Intl.DateTimeFormat('en-GB', { dateStyle: 'full', timeStyle: 'medium', hourCycle: 'h12' }),
};

const short = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short' });
const shortWithYear = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: '2-digit' });

export const time = (millis: number): string => hours[clock.hours].format(millis);
export const moment = (millis: number): string => full[clock.hours].format(millis);

function daysBefore(millis: number, now: number): number {
  const midnight = (at: number) => new Date(at).setHours(0, 0, 0, 0);
  return Math.round((midnight(now) - midnight(millis)) / DAY);
}

function partOfDay(millis: number): string {
  const hour = new Date(millis).getHours();
  return hour < 5 ? 'night' : hour < 12 ? 'morning' : hour < 18 ? 'afternoon' : 'evening';
}

/** The name of a sitting that lasted from `start` to `end` (milliseconds). */
export function sittingName(start: number, end: number, now: number): string {
  if (now - end < 20 * 60_000) return 'Just now';
  const days = daysBefore(start, now);
  const part = partOfDay(start);
  if (days <= 0) return part === 'night' ? 'Tonight' : `This ${part}`;
  if (days === 1) return `Yesterday ${part}`;
  if (days < 7) return `${weekday.format(start)} ${part}`;
  const sameYear = new Date(start).getFullYear() === new Date(now).getFullYear();
  return (sameYear ? dayMonth : dayMonthYear).format(start);
}

/** From when to when, with one time where both are the same minute. */
export function span(start: number, end: number): string {
  const [from, to] = [time(start), time(end)];
  return from === to ? from : `${from} – ${to}`;
}

export function size(bytes: number): string {
  if (bytes < 1e3) return `${bytes} B`;
  if (bytes < 1e6) return `${(bytes / 1e3).toFixed(bytes < 1e4 ? 1 : 0)} kB`;
  return `${(bytes / 1e6).toFixed(1)} MB`;
}

export const count = (n: number, one: string, many = `${one}s`): string =>
  `${n.toLocaleString('en')} ${n === 1 ? one : many}`;

export const fileName = (path: string): string => path.split('/').filter(Boolean).pop() ?? path;

/** Characters that one does not see, or that turn the order of others round: marked as the client marks them. */
const HIDDEN =
  /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u00ad\u061c\u180e\u200b\u200e\u200f\u202a-\u202e\u2060-\u2069\ufeff\ufff9-\ufffb]|[\u{e0000}-\u{e007f}]/gu;
const BLANK = /[\s\u00ad\u061c\u115f\u1160\u17b4\u17b5\u180e\u200b-\u200f\u202a-\u202e\u2060-\u206f\u2800\u3164\ufe00-\ufe0f\ufeff\uffa0]/gu;

/** The sign for a character that is not seen. */
function signOf(character: string): string {
  const code = character.codePointAt(0) ?? 0;
  if (code < 0x20) return String.fromCodePoint(0x2400 + code);
  if (code === 0x7f) return '\u2421';
  return code >= 0x80 && code < 0xa0 ? '\ufffd' : '\u205d';
}

/** A text with signs for what is not seen in it. */
export const shown = (text: string): string => text.replace(HIDDEN, signOf);

/** A text in pieces: as it is, and the signs for what is not seen, with the name of each. */
export function signed(text: string): { text: string; name: string | null }[] {
  const out: { text: string; name: string | null }[] = [];
  let at = 0;
  for (const found of text.matchAll(HIDDEN)) {
    if (found.index > at) out.push({ text: text.slice(at, found.index), name: null });
    const code = (found[0].codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0');
    out.push({ text: signOf(found[0]), name: `U+${code}` });
    at = found.index + found[0].length;
  }
  if (at < text.length || out.length === 0) out.push({ text: text.slice(at), name: null });
  return out;
}

/** What is to be said of a text in which nothing can be seen; `null` for any other. */
export function blankness(text: string, chars: number): string | null {
  if (text.replace(BLANK, '') !== '' || chars > [...text].length) return null;
  const white = text.replace(/\s/gu, '') === '';
  return `${white ? 'White space' : 'Nothing that can be seen'}: ${count(chars, 'character')}`;
}

/** What a clip is, in one line. */
export function summary(row: Row): string {
  if (row.title) return shown(row.title);
  if (row.kind === 'image') return row.picture ? pictureFacts(row) : 'Picture';
  if (row.kind === 'files') return row.files?.map((one) => shown(fileName(one))).slice(0, 6).join(' · ') ?? 'Files';
  return blankness(row.head, row.chars) ?? (shown(row.head.trim().replace(/\s+/g, ' ')) || 'White space first');
}

export function pictureFacts(row: Row): string {
  const name = (row.picture?.mime ?? 'image').replace('image/', '').replace('+xml', '').toUpperCase();
  const sides = row.picture?.width ? ` · ${row.picture.width} × ${row.picture.height}` : '';
  return `${name}${sides} · ${size(row.size)}`;
}

/** Where it came from and what else is to be known of it, in parts. */
export function facts(row: Row): string[] {
  const from = [row.source.program, row.source.window].filter(Boolean).join(' · ');
  const out = from ? [from] : [];
  if (row.kind === 'image' && row.title) out.push(pictureFacts(row));
  if (row.kind === 'files') {
    const folder = row.files?.[0]?.split('/').slice(0, -1).slice(-2).join('/');
    out.push(count(row.file_count, 'file') + (folder ? ` · ${folder}` : ''));
  }
  if (row.formatted) out.push('formatted');
  if (row.kind === 'text' && row.lines > 2) out.push(count(row.lines, 'line'));
  if (row.copies > 1) out.push(`copied ${row.copies} times`);
  if (!row.saved) out.push('not saved yet');
  if (row.until) out.push(`in memory alone until ${time(row.until / 1000)}`);
  return out;
}

/** A row as it is said: kind, words, source, time, and what a person gave it. */
export function spoken(row: Row, when: string): string {
  const kind = { text: 'Text', link: 'Link', image: 'Picture', files: 'Files' }[row.kind];
  const parts = [kind, summary(row).slice(0, 160), row.source.program ? `from ${row.source.program}` : '', when];
  if (row.kept) parts.push(row.kept.drawer_name ? `in the drawer ${row.kept.drawer_name}` : 'pinned');
  if (row.color) parts.push(row.color);
  if (row.copies > 1) parts.push(`copied ${row.copies} times`);
  if (!row.saved) parts.push('not saved yet');
  return parts.filter(Boolean).join(', ');
}

/** Host and rest of a web address, for showing the host in a stronger voice. */
export function linkParts(link: string): [string, string] {
  const found = /^[a-z]+:\/\/([^/?#]*)(.*)$/is.exec(link.trim());
  return found ? [found[1] ?? '', found[2] ?? ''] : [link.trim(), ''];
}

export const mayBeFollowed = (link: string): boolean => /^(https?:\/\/|mailto:)/i.test(link.trim());

const ACTS: Record<string, string> = {
  remove: 'removed',
  pin: 'pinned',
  unpin: 'unpinned',
  put: 'put into a drawer',
  move: 'moved',
  title: 'titled',
  color: 'colored',
  'bring-up': 'brought up',
  edit: 'edited',
  'put-back': 'original put back',
  'new-drawer': 'drawer made',
  drawer: 'drawer changed',
  'remove-drawer': 'drawer removed',
  divider: 'divider changed',
  'new-batch': 'batch begun',
  batch: 'batch changed',
  'add-to-batch': 'added to a batch',
  'drop-items': 'dropped from a batch',
  'order-items': 'batch put in another order',
  'remove-batch': 'batch removed',
  clear: 'cleared',
  import: 'brought in',
};

/** An act in words. */
export const actName = (act: string): string => ACTS[act] ?? act;

/** When, in a list that is not by sittings: the time today, the day before. */
export function shortDate(millis: number, now: number): string {
  const days = daysBefore(millis, now);
  if (days <= 0) return time(millis);
  if (days === 1) return 'yesterday';
  const sameYear = new Date(millis).getFullYear() === new Date(now).getFullYear();
  return (sameYear ? short : shortWithYear).format(millis);
}

/** A name for a file with this clip: its title or id, and the extension of the representation. */
export function fileNameFor(row: Row, extension: string): string {
  const stem = row.title?.replace(/[^\p{L}\p{N} _.()-]/gu, '-').replace(/^[.\s]+/, '').slice(0, 60).trim();
  return `${stem || `clip-${row.prefix}`}.${extension}`;
}

/** A mail with this text (RFC 6068); `null` when it is too long for that. */
export function mailTo(subject: string | null | undefined, body: string): string | null {
  if (/^mailto:\S+$/i.test(body.trim())) return body.trim();
  const lines = body.replace(/\r?\n/g, '\r\n');
  const address = `mailto:?${subject ? `subject=${encodeURIComponent(subject)}&` : ''}body=${encodeURIComponent(lines)}`;
  return address.length > 30_000 ? null : address;
}

/** A fingerprint in lines of sixteen bytes, as it is compared. */
export const fingerprintLines = (fingerprint: string): string[] => (fingerprint.match(/.{1,48}/g) ?? []).map((line) => line.replace(/:$/, ''));
