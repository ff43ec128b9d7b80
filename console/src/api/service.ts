// Calls to the service. The key is kept in storage bound to this origin and sent with every call; there are no cookies.
import type { Detail, Form, Outline, Problem, Row, Status } from './types';

const ROOT = '/api/v1';
const STORED = 'yadori.key';

/** Why a call was not carried out, in words. */
export class Failure extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem | null,
  ) {
    super(problem ? problem.detail : 'the service does not answer');
  }

  /** The next step, where one is known. */
  get hint(): string | null {
    return this.problem?.hint ?? null;
  }
}

export class Service {
  #key: string | null = localStorage.getItem(STORED);
  /** Called when the service does not know the key. */
  onSignedOut: () => void = () => {};

  get hasKey(): boolean {
    return this.#key !== null;
  }

  async signIn(entry: string): Promise<void> {
    const answer = await this.#post<{ key: string }>('/sign-in', { entry });
    this.#key = answer.key;
    localStorage.setItem(STORED, answer.key);
  }

  forgetKey(): void {
    this.#key = null;
    localStorage.removeItem(STORED);
  }

  status = (): Promise<Status> => this.#json('/status');
  outline = (): Promise<Outline> => this.#json('/outline');
  detail = (id: string): Promise<Detail> => this.#json(`/clips/${id}`);
  rows = async (ids: string[]): Promise<Row[]> => (await this.#post<{ clips: Row[] }>('/rows', { ids })).clips;
  take = (id: string, form: Form): Promise<{ row: Row }> => this.#post(`/clips/${id}/take`, { form });
  remove = (ids: string[]): Promise<{ removed: number; grace_seconds: number }> => this.#post('/remove', { ids });
  undo = (): Promise<{ act: string; clips: Row[] }> => this.#post('/undo', {});
  frame = async (id: string): Promise<string> => (await this.#post<{ path: string }>(`/clips/${id}/frame`, {})).path;
  picture = (id: string, most: number): Promise<Blob> => this.#blob(`/clips/${id}/picture?most=${most}`);
  representation = (id: string, n: number): Promise<Blob> => this.#blob(`/clips/${id}/representations/${n}`);

  /** A long-lived call, to be read as it comes. */
  async events(lastEventId: string | null, signal: AbortSignal): Promise<ReadableStream<Uint8Array<ArrayBuffer>>> {
    const headers: Record<string, string> = lastEventId ? { 'last-event-id': lastEventId } : {};
    const answer = await this.#call('/events', { headers, signal });
    if (!answer.body) throw new Failure(0, null);
    return answer.body;
  }

  async #json<T>(path: string): Promise<T> {
    return (await this.#call(path, {})).json() as Promise<T>;
  }

  async #blob(path: string): Promise<Blob> {
    return (await this.#call(path, {})).blob();
  }

  async #post<T>(path: string, body: unknown): Promise<T> {
    const headers = { 'content-type': 'application/json' };
    const answer = await this.#call(path, { method: 'POST', headers, body: JSON.stringify(body) });
    return answer.json() as Promise<T>;
  }

  async #call(path: string, options: RequestInit): Promise<Response> {
    const headers = new Headers(options.headers);
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
      this.forgetKey();
      this.onSignedOut();
    }
    throw new Failure(answer.status, problem);
  }
}
