// Calls to the service. The key is kept in storage bound to this origin and sent with every call; there are no cookies.
import { EventSourceParserStream, type EventSourceMessage } from 'eventsource-parser/stream';

import { Failure } from '../api/failure';
import type {
  Act,
  Acted,
  AllDevices,
  AllDrawers,
  AllOrders,
  AllPhones,
  AllRules,
  AllSettings,
  Autostart,
  Batch,
  BatchItems,
  ChangeBatch,
  Clear,
  ClearPlan,
  Cleared,
  Color,
  Compared,
  Completion,
  Detail,
  Filled,
  Form,
  Found,
  FoundOutline,
  HandOut,
  HandedOut,
  ImportProgress,
  Insight,
  Items,
  KeptOutline,
  LimitsPlan,
  Obeyed,
  Outline,
  Outlook,
  OnItsWay,
  Pairing,
  PhoneLink,
  Parts,
  PasteInto,
  Problem,
  Proof,
  Row,
  Scope,
  Shape,
  ShowCode,
  SignedIn,
  SignedInBrowser,
  Split,
  Status,
  StruckOff,
  Tidied,
  TriedRules,
  TryRules,
  TypeCode,
  TypePhrase,
} from '../api/types';
import type { Page } from '../state/page';
import type { Ask, Wanted } from '../state/picking/asks';
import { ownName } from './page';
import { forgetPair, newPair, signed } from './pair';
import { language, t } from '../language/language.svelte';

const ROOT = '/api/v1';
const STORED = 'yadori.key';
const SIGN_IN = 'yadori.sign-in';
/** The viewer's zone, in which days and hours are meant. */
export const ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone;

const query = (wanted: Record<string, string>): string => new URLSearchParams(wanted).toString();
const asked = ({ text, within }: { text: string; within: string | null }, limit: number): string =>
  query({ q: text, limit: `${limit}`, zone: ZONE, ...(within === null ? {} : { within }) });

const partOf = (after: string | null, limit: number): string => query({ limit: `${limit}`, ...(after === null ? {} : { after }) });

/** Reasons that an import shows. */
const REASONS = 200;

/** How else a clip is taken: cleaned up, in another shape, as an earlier copy of it was. */
export interface TakenAs {
  tidy?: string[];
  as?: Shape;
  earlier?: number;
  /** It is also pasted there. */
  paste?: PasteInto;
}

interface Taken {
  row: Row;
  filled: boolean;
  pasted?: boolean;
  missing?: string[];
}

/** RFC 4648, section 4. */
function inBase64(blob: Blob): Promise<string> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result).split(',', 2)[1] ?? '');
    reader.onerror = () => reject(reader.error ?? new Error(t('it can’t be read')));
    reader.readAsDataURL(blob);
  });
}

export class Service {
  #key: string | null;
  #renewing: Promise<boolean> | null = null;
  /** Called when the service does not know this browser, and when it does (again). */
  onSignedOut: () => void = () => {};
  onSignedIn: () => void = () => {};

  constructor(private page: Page) {
    this.#key = page.kept(STORED);
  }

  async signIn(entry: string): Promise<void> {
    const known = await newPair();
    const answer = await this.#post<SignedIn>('/sign-in', { entry, name: ownName(), ...(known ? { public: known } : {}) });
    this.#keep(answer);
  }

  #keep({ key, id }: SignedIn): void {
    this.#key = key;
    this.page.keep(SIGN_IN, id ?? null);
    this.page.keep(STORED, key);
  }

  /** There is a key, or a way to get one. */
  async canEnter(): Promise<boolean> {
    return this.#key !== null || (this.page.kept(SIGN_IN) !== null && (await this.renew().catch(() => true)));
  }

  /** The service knows this browser by a key that it has. */
  isKnown = async (): Promise<boolean> => (await this.canEnter()) && (await this.status().then(() => true, () => false));

  /** Another tab has signed in, or out. */
  keyChanged(): void {
    const key = this.page.kept(STORED);
    if (key === this.#key) return;
    this.#key = key;
    if (key === null) this.onSignedOut();
    else this.onSignedIn();
  }

  /** Shows the service that this is the browser that signed in. False when it does not know it. */
  renew(): Promise<boolean> {
    this.#renewing ??= this.#renew().finally(() => (this.#renewing = null));
    return this.#renewing;
  }

  async #renew(): Promise<boolean> {
    const id = this.page.kept(SIGN_IN);
    if (id === null) return false;
    const { nonce } = await this.#post<Proof>('/sign-in/proof', {});
    const signature = await signed(`yadori sign-in\n${window.location.origin}\n${id}\n${nonce}`);
    if (signature === null) return false;
    try {
      this.#keep(await this.#post<SignedIn>('/sign-in/renew', { id, nonce, signature }));
      return true;
    } catch (why) {
      if (why instanceof Failure && why.status === 403) return false;
      throw why;
    }
  }

  async signOut(): Promise<void> {
    await this.#call('/sign-out', { method: 'POST' }).catch(() => {});
    this.page.keep(SIGN_IN, null);
    this.#forgetKey();
    await forgetPair();
  }

  #forgetKey(): void {
    this.#key = null;
    this.page.keep(STORED, null);
  }

  browsers = async (): Promise<SignedInBrowser[]> => (await this.#json<{ browsers: SignedInBrowser[] }>('/sign-ins')).browsers;
  endBrowser = async (id: string): Promise<void> => void (await this.#call(`/sign-ins/${id}/end`, { method: 'POST' }));

  status = (): Promise<Status> => this.#json('/status');
  /** Nothing that is copied is read, for so many minutes or until it is resumed. */
  pause = (minutes: number | null): Promise<Status> => this.#post('/pause', minutes === null ? {} : { minutes });
  resume = (): Promise<Status> => this.#post('/resume', {});
  settings = (): Promise<AllSettings> => this.#json('/settings');
  autostart = (): Promise<Autostart> => this.#json('/autostart');
  setAutostart = (on: boolean): Promise<Autostart> => this.#post('/autostart', { on }, 'PUT');
  changeSettings = (changes: Record<string, unknown>): Promise<AllSettings> => this.#post('/settings', { changes }, 'PATCH');
  devices = (): Promise<AllDevices> => this.#json('/devices');
  pairing = (): Promise<Pairing> => this.#json('/devices/pairing');
  showCode = (wanted: ShowCode): Promise<Pairing> => this.#post('/devices/pairing', wanted);
  typeCode = (wanted: TypeCode): Promise<Pairing> => this.#post('/devices/pairing/code', wanted);
  typePhrase = (wanted: TypePhrase): Promise<Pairing> => this.#post('/devices/pairing/phrase', wanted);
  letIn = (yes: boolean): Promise<Pairing> => this.#post('/devices/pairing/answer', { yes });
  callOffPairing = async (): Promise<void> => void (await this.#call('/devices/pairing', { method: 'DELETE' }));
  strikeOff = async (id: string): Promise<StruckOff> => (await this.#call(`/devices/${id}`, { method: 'DELETE' })).json() as Promise<StruckOff>;
  sendClip = (id: string, to: string): Promise<OnItsWay> => this.#post('/devices/send', { id, to });
  leaveGroup = async (): Promise<void> => void (await this.#call('/devices/leave', { method: 'POST' }));
  exchangeNow = (): Promise<AllDevices> => this.#post('/exchange/now', {});
  pauseExchange = (paused: boolean): Promise<AllDevices> => this.#post('/exchange/pause', { paused });
  limitsPlan = (changes: Record<string, unknown>): Promise<LimitsPlan> => this.#post('/limits/plan', { changes });
  obeyLimits = (): Promise<Obeyed> => this.#post('/limits/obey', {});
  outlook = (id: string): Promise<Outlook> => this.#json(`/clips/${id}/outlook`);
  rules = (): Promise<AllRules> => this.#json('/rules');
  tryRules = (wanted: TryRules): Promise<TriedRules> => this.#post('/rules/try', wanted);
  orders = (): Promise<AllOrders> => this.#json('/orders');
  clearPlan = (scope: Scope): Promise<ClearPlan> => this.#post('/clear/plan', { scope, zone: ZONE });
  clear = (wanted: Clear): Promise<Cleared> => this.#post('/clear', { ...wanted, zone: ZONE });
  outline = (after: string | null, limit: number): Promise<Outline> =>
    this.#json(`/outline?${partOf(after, limit)}`);
  /** The whole of a clip; of a picture's words, those that match `text` are named. */
  detail = (id: string, text = ''): Promise<Detail> => this.#json(`/clips/${id}${text ? `?${query({ q: text, zone: ZONE })}` : ''}`);
  rows = async (ids: string[]): Promise<Row[]> => (await this.#post<{ clips: Row[] }>('/rows', { ids })).clips;
  take = (id: string, form: Form, answers: Record<string, string> = {}, how: TakenAs = {}): Promise<Taken> =>
    this.#post(`/clips/${id}/take`, { form, answers, zone: ZONE, ...how });
  /** What was typed since the picker's chord, once its window has the keyboard. */
  typed = (): Promise<{ by_chord: boolean; asks: Ask[] }> => this.#post('/picker', {});
  /** What the picker lists. */
  async pickable({ view, query: words, rows: limit }: Wanted): Promise<{ rows: Row[]; more: boolean; total: number | null }> {
    const text = view === 'drawers' ? `is:drawer ${words}` : words;
    if (text !== '') {
      const { hits, more } = await this.search({ text, within: view === 'favorites' ? 'favorites' : null }, limit);
      return { rows: hits.map(({ row }) => row), more, total: null };
    }
    if (view === 'history') {
      const { clips, next, total } = await this.#json<{ clips: Row[]; next?: unknown; total: number }>(`/clips?${query({ limit: `${limit}` })}`);
      return { rows: clips, more: next != null, total };
    }
    const { items, total } = await this.#json<Items>(`/favorites?${query({ limit: `${limit}` })}`);
    return { rows: items.flatMap((one) => ('clip' in one ? [one.clip] : [])), more: total > items.length, total: null };
  }
  /** What clean-ups would make of a clip. */
  tidied = (clip: string, tidy: string[]): Promise<Tidied> => this.#post('/tidy', { clip, tidy });
  remove = (ids: string[]): Promise<{ id: string; removed: number; grace_seconds: number; revision: number }> =>
    this.#post('/remove', { ids });
  undo = (act: string): Promise<Acted> => this.#post(`/undo?${query({ act })}`, {});
  redo = (act: string): Promise<Acted> => this.#post(`/redo?${query({ act })}`, {});
  /** A new clip of these bytes, as a picture or a file of one kind. */
  addBlob = async (blob: Blob): Promise<{ row: Row }> =>
    this.#post('/clips', { representations: [{ mime: blob.type || 'application/octet-stream', base64: await inBase64(blob) }] });
  phones = (): Promise<AllPhones> => this.#json('/phones');
  newPhone = (): Promise<PhoneLink> => this.#post('/phones', {});
  /** A new clip of this text. */
  add = (text: string): Promise<{ row: Row }> =>
    this.#post('/clips', { representations: [{ mime: 'text/plain;charset=utf-8', text }] });
  acts = async (): Promise<Act[]> => (await this.#json<{ acts: Act[] }>('/acts')).acts;

  /** `before`: a clip's or divider's id; an empty text for the end; absent to stay where it is. */
  pin = (ids: string[], before?: string, secrets = false): Promise<Acted> => this.#post('/keep', { ids, to: { place: 'favorites' }, before, secrets });
  put = (ids: string[], drawer: string, before?: string): Promise<Acted> =>
    this.#post('/keep', { ids, to: { place: 'drawer', drawer }, before });
  unpin = (ids: string[]): Promise<Acted> => this.#post('/keep', { ids, to: { place: 'nowhere' } });
  title = (id: string, title: string): Promise<Acted> => this.#post('/title', { id, title: title || null });
  paint = (ids: string[], color: Color | null): Promise<Acted> => this.#post('/color', { ids, color });
  bringUp = (ids: string[]): Promise<Acted> => this.#post('/bring-up', { ids });
  edit = (id: string, text: string): Promise<Acted> => this.#post(`/clips/${id}/edit`, { text, plain: true });
  putBack = (id: string): Promise<Acted> => this.#post(`/clips/${id}/put-back`, {});
  compare = (id: string): Promise<Compared> => this.#json(`/clips/${id}/compare`);
  draft = async (id: string): Promise<{ text: string; at?: number | null } | null> => {
    try {
      return await this.#json(`/clips/${id}/draft`);
    } catch (why) {
      if (why instanceof Failure && why.status === 404) return null;
      throw why;
    }
  };
  /** An empty text lets go of the draft. `last`: the page is closing, and the call must outlive it. */
  keepDraft = async (id: string, text: string, last = false): Promise<void> => {
    const headers = { 'content-type': 'application/json' };
    const keepalive = last && text.length < 15_000;
    await this.#call(`/clips/${id}/draft`, { method: 'POST', headers, body: JSON.stringify({ text }), keepalive });
  };

  /** A query that can't be read (yet) fails with what was expected. */
  search = async (wanted: { text: string; within: string | null; nearest?: boolean }, limit: number, signal?: AbortSignal): Promise<Found> => {
    const found = await this.#json<Found>(`/search?${asked(wanted, limit)}${wanted.nearest ? '&nearest=true' : ''}`, signal);
    if (!found.expected) return found;
    const { words: detail, ...where } = found.expected;
    throw new Failure(200, { type: 'invalid-query', title: t('The query can’t be read'), status: 200, detail, ...where });
  };
  searchOutline = (wanted: { text: string; within: string | null }, limit: number, signal: AbortSignal): Promise<FoundOutline> =>
    this.#json(`/search/outline?${asked(wanted, limit)}`, signal);
  complete = async (q: string, cursor: number, signal: AbortSignal): Promise<Completion[]> =>
    (await this.#json<{ completions: Completion[] }>(`/complete?${query({ q, cursor: `${cursor}` })}`, signal)).completions;
  insight = (): Promise<Insight> => this.#json(`/insight?${query({ limit: '42', zone: ZONE })}`);
  fillIns = (text: string | null, clip: string | null, answers: Record<string, string>): Promise<Filled> =>
    this.#post('/fill-ins', { text, clip, answers, zone: ZONE });

  drawers = (): Promise<AllDrawers> => this.#json('/drawers');
  /** A part of what is kept; behind where another part ended. */
  favoritesOutline = (after: string | null, limit: number): Promise<KeptOutline> => this.#json(`/favorites/outline?${partOf(after, limit)}`);
  drawerOutline = (drawer: string, after: string | null, limit: number): Promise<KeptOutline> =>
    this.#json(`/drawers/${encodeURIComponent(drawer)}/outline?${partOf(after, limit)}`);
  newDrawer = (name: string, group: string | null, color: Color | null): Promise<Acted> =>
    this.#post('/drawers', { name, group, color });
  changeDrawer = (id: string, change: { name?: string; color?: string; group?: string; before?: string }): Promise<Acted> =>
    this.#post(`/drawers/${id}/change`, change);
  removeDrawer = (id: string): Promise<Acted> => this.#post(`/drawers/${id}/remove`, {});
  newDivider = (drawer: string, name: string, before?: string): Promise<Acted> =>
    this.#post(`/drawers/${drawer}/dividers`, { name, before });
  changeDivider = (drawer: string, id: string, change: { name?: string; before?: string }): Promise<Acted> =>
    this.#post(`/drawers/${drawer}/dividers/${id}/change`, change);
  removeDivider = (drawer: string, id: string): Promise<Acted> =>
    this.#post(`/drawers/${drawer}/dividers/${id}/remove`, {});

  batches = (): Promise<{ batches: Batch[] }> => this.#json('/batches');
  batchItems = (id: string, skip: number, limit: number): Promise<BatchItems> =>
    this.#json(`/batches/${id}?${query({ skip: `${skip}`, limit: `${limit}` })}`);
  newBatch = (filling: { clips?: string[]; texts?: string[]; split?: Split }, change: ChangeBatch): Promise<Acted> =>
    this.#post('/batches', { filling, change });
  changeBatch = (id: string, change: ChangeBatch): Promise<Acted> => this.#post(`/batches/${id}/change`, change);
  removeBatch = (id: string): Promise<Acted> => this.#post(`/batches/${id}/remove`, {});
  /** Into the one in hand, or a new one: then `made` is there. */
  addToHand = (clips: string[]): Promise<Acted> => this.#post('/batches/in-hand', { clips });
  dropItems = (id: string, items: number[]): Promise<Acted> => this.#post(`/batches/${id}/drop`, { items });
  moveItems = (id: string, items: number[], before?: number): Promise<Acted> => this.#post(`/batches/${id}/move`, { items, before });
  reverseBatch = (id: string): Promise<Acted> => this.#post(`/batches/${id}/reverse`, {});
  hand = (id: string, out: HandOut, place?: number, paste?: PasteInto): Promise<HandedOut> => this.#post(`/batches/${id}/hand`, { out, place, paste });
  trySplit = (from: { clip?: string; text?: string }, split: Split): Promise<Parts> => this.#post('/split', { ...from, split });
  join = (clips: string[], how: { with?: string; list?: string }): Promise<{ clip?: string | null; text: string; chars: number }> =>
    this.#post('/join', { clips, ...how });

  exported = (wanted: Record<string, string>): Promise<Blob> => this.#blob(`/export?${query({ ...wanted, zone: ZONE })}`);
  exportedClips = async (ids: string[]): Promise<Blob> => {
    const headers = { 'content-type': 'application/json' };
    return (await this.#call('/export', { method: 'POST', headers, body: JSON.stringify({ ids }) })).blob();
  };
  exportedDrawer = (id: string): Promise<Blob> => this.#blob(`/drawers/${id}/export`);

  /** Sends a file, and tells how far it has come. */
  async import(file: File, told: (progress: ImportProgress) => void): Promise<void> {
    const headers = { 'content-type': 'application/octet-stream' };
    const answer = await this.#call('/import', { method: 'POST', headers, body: file });
    const reader = answer.body?.pipeThrough(new TextDecoderStream()).getReader();
    let rest = '';
    let reasons: string[] = [];
    for (;;) {
      const { value, done } = (await reader?.read()) ?? { value: undefined, done: true };
      if (done) break;
      const lines = (rest + value).split('\n');
      rest = lines.pop() ?? '';
      for (const line of lines.filter(Boolean)) {
        const progress = JSON.parse(line) as ImportProgress;
        // Each line has what was not told before.
        reasons = [...reasons, ...(progress.reasons ?? [])].slice(0, REASONS);
        told({ ...progress, reasons });
      }
    }
  }

  frame = async (id: string): Promise<string> => (await this.#post<{ path: string }>(`/clips/${id}/frame`, {})).path;
  picture = (id: string, most: number): Promise<Blob> => this.#blob(`/clips/${id}/picture?most=${most}`);
  representation = (id: string, n: number): Promise<Blob> => this.#blob(`/clips/${id}/representations/${n}`);

  /** What happens, as it comes (server-sent events; the browser's own EventSource can't carry a key). */
  async events(lastEventId: string | null): Promise<ReadableStream<EventSourceMessage>> {
    const headers: Record<string, string> = lastEventId ? { 'last-event-id': lastEventId } : {};
    const answer = await this.#call('/events', { headers });
    if (!answer.body) throw new Failure(0, null);
    return answer.body.pipeThrough(new TextDecoderStream()).pipeThrough(new EventSourceParserStream());
  }

  async #json<T>(path: string, signal?: AbortSignal): Promise<T> {
    return (await this.#call(path, signal ? { signal } : {})).json() as Promise<T>;
  }

  async #blob(path: string): Promise<Blob> {
    return (await this.#call(path, {})).blob();
  }

  async #post<T>(path: string, body: unknown, method = 'POST'): Promise<T> {
    const headers = { 'content-type': 'application/json' };
    const answer = await this.#call(path, { method, headers, body: JSON.stringify(body) });
    return answer.json() as Promise<T>;
  }

  async #call(path: string, options: RequestInit, again = false): Promise<Response> {
    const headers = new Headers(options.headers);
    headers.set('accept-language', language());
    if (this.#key) headers.set('authorization', `Bearer ${this.#key}`);
    let answer: Response;
    try {
      answer = await fetch(ROOT + path, { ...options, headers, credentials: 'omit', cache: 'no-store' });
    } catch (why) {
      if (options.signal?.aborted) throw why;
      throw new Failure(0, null);
    }
    if (answer.ok) return answer;
    const problem = (await answer.json().catch(() => null)) as Problem | null;
    if (answer.status === 401) {
      // Another tab may have a newer key; and keys end with the service, but it may know this browser still.
      const kept = this.page.kept(STORED);
      if (kept !== null && kept !== this.#key) {
        this.#key = kept;
        return this.#call(path, options, again);
      }
      if (!again && (await this.renew())) return this.#call(path, options, true);
      this.#forgetKey();
      this.onSignedOut();
    }
    throw new Failure(answer.status, problem);
  }
}
