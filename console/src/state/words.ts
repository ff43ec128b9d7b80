// Times, sizes and names in words, in the viewer's zone.
import type { Color, Row, Status } from '../api/types';
import { look } from './look.svelte';
import { counted, language, msg, t, type Language } from '../language/language.svelte';

const DAY = 86_400_000;
const LOCALES = { en: 'en-GB', ja: 'ja' };

/** How times and days are written in a language. */
function written(locale: string) {
  const format = (how: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat(locale, how);
  return {
    hours: {
      24: new Intl.DateTimeFormat(undefined, { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }),
      12: new Intl.DateTimeFormat(locale === 'en-GB' ? 'en' : locale, { hour: 'numeric', minute: '2-digit', hourCycle: 'h12' }),
    },
    weekday: format({ weekday: 'long' }),
    dayMonth: format({ weekday: 'short', day: 'numeric', month: 'long' }),
    dayMonthYear: format({ day: 'numeric', month: 'long', year: 'numeric' }),
    full: {
      24: format({ dateStyle: 'full', timeStyle: 'medium', hourCycle: 'h23' }),
      12: format({ dateStyle: 'full', timeStyle: 'medium', hourCycle: 'h12' }),
    },
    short: format({ day: 'numeric', month: 'short' }),
    shortWithYear: format({ day: 'numeric', month: 'short', year: '2-digit' }),
  };
}

const known = new Map<Language, ReturnType<typeof written>>();

function dates(): ReturnType<typeof written> {
  const spoken = language();
  const found = known.get(spoken) ?? written(LOCALES[spoken]);
  known.set(spoken, found);
  return found;
}

export const time = (millis: number): string => dates().hours[look.hours].format(millis);
export const moment = (millis: number): string => dates().full[look.hours].format(millis);

function daysBefore(millis: number, now: number): number {
  const midnight = (at: number) => new Date(at).setHours(0, 0, 0, 0);
  return Math.round((midnight(now) - midnight(millis)) / DAY);
}

type Part = 'night' | 'morning' | 'afternoon' | 'evening';

function partOfDay(millis: number): Part {
  const hour = new Date(millis).getHours();
  return hour < 5 ? 'night' : hour < 12 ? 'morning' : hour < 18 ? 'afternoon' : 'evening';
}

/** The name of a sitting that lasted from `start` to `end` (milliseconds). */
export function sittingName(start: number, end: number, now: number): string {
  if (now - end < 20 * 60_000) return t('Just now');
  const days = daysBefore(start, now);
  const part = partOfDay(start);
  if (days <= 0) return { night: t('Tonight'), morning: t('This morning'), afternoon: t('This afternoon'), evening: t('This evening') }[part];
  if (days === 1) return { night: t('Yesterday night'), morning: t('Yesterday morning'), afternoon: t('Yesterday afternoon'), evening: t('Yesterday evening') }[part];
  if (days < 7) return t('{weekday} {part}', { weekday: dates().weekday.format(start), part: { night: t('night'), morning: t('morning'), afternoon: t('afternoon'), evening: t('evening') }[part] });
  const sameYear = new Date(start).getFullYear() === new Date(now).getFullYear();
  return (sameYear ? dates().dayMonth : dates().dayMonthYear).format(start);
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

export const count = (n: number, one: string, many = `${one}s`): string => counted(n, `{n} ${one}`, `{n} ${many}`);

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
  return `${white ? t('White space') : t('Nothing that can be seen')}: ${count(chars, 'character')}`;
}

/** What a clip is, in one line. */
export function summary(row: Row): string {
  if (row.title) return shown(row.title);
  if (row.kind === 'image') return row.picture ? pictureFacts(row) : t('Picture');
  if (row.kind === 'files') return row.files?.map((one) => shown(fileName(one))).slice(0, 6).join(' · ') ?? t('Files');
  return blankness(row.head, row.chars) ?? (shown(row.head.trim().replace(/\s+/g, ' ')) || t('White space first'));
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
  if (row.formatted) out.push(t('formatted'));
  if (row.kind === 'text' && row.lines > 2) out.push(count(row.lines, 'line'));
  if (row.copies > 1) out.push(t('copied {n} times', { n: row.copies }));
  if (!row.saved) out.push(t('not saved yet'));
  if (row.until) out.push(t('in memory alone until {until}', { until: time(row.until / 1000) }));
  return out;
}

/** A row as it is said: kind, words, source, time, and what a person gave it. */
export function spoken(row: Row, when: string): string {
  const parts = [kindName(row.kind), summary(row).slice(0, 160), row.source.program ? t('from {program}', { program: row.source.program }) : '', when];
  if (row.kept) parts.push(row.kept.drawer_name ? t('in the drawer {drawer}', { drawer: row.kept.drawer_name }) : t('pinned'));
  if (row.color) parts.push(colorName(row.color));
  if (row.copies > 1) parts.push(t('copied {n} times', { n: row.copies }));
  if (!row.saved) parts.push(t('not saved yet'));
  return parts.filter(Boolean).join(', ');
}

/** Host and rest of a web address, for showing the host in a stronger voice. */
export function linkParts(link: string): [string, string] {
  const found = /^[a-z]+:\/\/([^/?#]*)(.*)$/is.exec(link.trim());
  return found ? [found[1] ?? '', found[2] ?? ''] : [link.trim(), ''];
}

export const mayBeFollowed = (link: string): boolean => /^(https?:\/\/|mailto:)/i.test(link.trim());

const KINDS: Record<Row['kind'], string> = { text: msg('Text'), link: msg('Link'), image: msg('Picture'), files: msg('Files') };

/** A kind of clip in words. */
export const kindName = (kind: Row['kind']): string => t(KINDS[kind]);

const ACTS: Record<string, string> = {
  remove: msg('removed'),
  pin: msg('pinned'),
  unpin: msg('unpinned'),
  put: msg('put into a drawer'),
  move: msg('moved'),
  title: msg('titled'),
  color: msg('colored'),
  'bring-up': msg('brought up'),
  edit: msg('edited'),
  'put-back': msg('original put back'),
  'new-drawer': msg('drawer made'),
  drawer: msg('drawer changed'),
  'remove-drawer': msg('drawer removed'),
  divider: msg('divider changed'),
  'new-batch': msg('batch begun'),
  batch: msg('batch changed'),
  'add-to-batch': msg('added to a batch'),
  'drop-items': msg('dropped from a batch'),
  'order-items': msg('batch put in another order'),
  'remove-batch': msg('batch removed'),
  clear: msg('cleared'),
  import: msg('brought in'),
};

/** An act in words. */
export const actName = (act: string): string => t(ACTS[act] ?? act);

const COLORS: Record<Color, string> = { blue: msg('blue'), green: msg('green'), amber: msg('amber'), red: msg('red'), violet: msg('violet'), teal: msg('teal') };

/** A color in words. */
export const colorName = (color: Color): string => t(COLORS[color]);

/** A day, in few letters. */
export const dayOf = (millis: number): string => dates().short.format(millis);

/** When, in a list that is not by sittings: the time today, the day before. */
export function shortDate(millis: number, now: number): string {
  const days = daysBefore(millis, now);
  if (days <= 0) return time(millis);
  if (days === 1) return t('yesterday');
  const sameYear = new Date(millis).getFullYear() === new Date(now).getFullYear();
  return (sameYear ? dates().short : dates().shortWithYear).format(millis);
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

/** What a paste gives now. */
export function given(live: Status['live'] | undefined): string {
  if (live?.clip) return summary(live.clip);
  switch (live?.state) {
    case 'empty':
      return t('Nothing');
    case 'item':
      return t('An item of a batch');
    case 'unkept':
      return t('Something that is not in the history');
    default:
      return '…';
  }
}
