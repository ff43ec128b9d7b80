// What a person does to clips: each act is carried out by the service, said, and can be taken back.
import { Failure } from '../api/failure';
import type { Acted, Color, Filled, Form, Question, Row } from '../api/types';
import type { Service } from '../border/service';
import type { List } from './list.svelte';
import type { Messages, Toast } from './messages.svelte';
import type { Search } from './search.svelte';
import type { Selection } from './selection.svelte';
import { actName, count, summary } from './words';

/** A text that asks something before it is taken. */
export interface Asking {
  row: Row;
  questions: Question[];
  answers: Record<string, string>;
  preview: string;
}

export class Acts {
  asking = $state.raw<Asking | null>(null);
  /** Grows when acts may have changed. */
  version = $state(0);

  constructor(
    private service: Service,
    private list: List,
    private selection: Selection,
    private search: Search,
    private messages: Messages,
  ) {}

  /** Acts may have been made, here or elsewhere. */
  changed(): void {
    this.version++;
  }

  async take(id: string, form: Form, answers: Record<string, string> = {}): Promise<void> {
    try {
      const { row, filled } = await this.service.take(id, form, answers);
      this.asking = null;
      const how = form === 'plain' ? ' (as plain text)' : filled ? ' (filled in)' : '';
      this.messages.tell(`A paste now gives: ${summary(row).slice(0, 80)}${how}`);
    } catch (why) {
      const problem = why instanceof Failure ? why.problem : null;
      if (problem?.type !== 'needs-answers') return this.messages.fail(why);
      const row = this.list.row(id) ?? (await this.service.detail(id)).row;
      const questions = problem.questions ?? [];
      const proposed = Object.fromEntries(questions.map((one) => [one.question, one.proposal ?? '']));
      this.asking = { row, questions, answers: proposed, preview: '' };
      void this.previewAnswers(proposed);
    }
  }

  /** An answer is typed: what the text becomes is shown. */
  async previewAnswers(answers: Record<string, string>): Promise<void> {
    const { asking } = this;
    if (!asking) return;
    this.asking = { ...asking, answers };
    const filled: Filled | null = await this.service.fillIns(null, asking.row.id, answers).catch(() => null);
    if (this.asking && this.asking.answers === answers && filled) this.asking = { ...this.asking, preview: filled.text };
  }

  /** Takes the newest clip of what is typed once it was found. */
  async takeFound(form: Form): Promise<void> {
    await this.search.settled();
    const { selected } = this.selection;
    if (selected) await this.take(selected, form);
  }

  async remove(ids: string[]): Promise<void> {
    await this.#attempt(async () => {
      const { removed, grace_seconds } = await this.service.remove(ids);
      const minutes = count(Math.ceil(grace_seconds / 60), 'minute');
      this.#told(`Removed ${count(removed, 'clip')}. It can be taken back for ${minutes}.`);
    });
  }

  /** Carries an act out and says so, with the way back. */
  async run(work: Promise<Acted>, words: (acted: Acted) => string): Promise<Acted | null> {
    let done: Acted | null = null;
    await this.#attempt(async () => {
      done = await work;
      this.#told(words(done));
    });
    return done;
  }

  #told(words: string): void {
    this.changed();
    this.selection.unchoose();
    this.messages.tell(words, { act: { label: 'Undo', key: 'undo', run: () => void this.undo() } });
  }

  async pin(ids: string[]): Promise<void> {
    const all = ids.every((id) => this.list.row(id)?.kept);
    await (all
      ? this.run(this.service.unpin(ids), ({ count: n }) => `Unpinned ${count(n, 'clip')}.`)
      : this.run(this.service.pin(ids), ({ count: n }) => `Pinned ${count(n, 'clip')} among the favorites.`));
  }

  put = (ids: string[], drawer: string, name: string): Promise<Acted | null> =>
    this.run(this.service.put(ids, drawer), ({ count: n }) => `Put ${count(n, 'clip')} into ${name}.`);

  paint = (ids: string[], color: Color | null): Promise<Acted | null> =>
    this.run(this.service.paint(ids, color), () => (color ? `Colored ${color}.` : 'The color was taken away.'));

  bringUp = (ids: string[]): Promise<Acted | null> =>
    this.run(this.service.bringUp(ids), ({ count: n }) => `Brought ${count(n, 'clip')} to the top.`);

  async undo(): Promise<void> {
    await this.#step(this.service.undo(), 'Taken back', { label: 'Redo', key: 'redo', run: () => void this.redo() });
  }

  async redo(): Promise<void> {
    await this.#step(this.service.redo(), 'Made again', { label: 'Undo', key: 'undo', run: () => void this.undo() });
  }

  async #step(work: Promise<Acted>, words: string, act: Toast['act']): Promise<void> {
    await this.#attempt(async () => {
      const { act: kind, clips } = await work;
      this.changed();
      // What comes back is selected: now, if its event was faster than this answer, or when it arrives.
      this.selection.await(kind === 'remove' ? (clips[0]?.id ?? null) : null);
      const what = clips.length === 1 && clips[0] ? `: ${summary(clips[0]).slice(0, 60)}` : '';
      this.messages.tell(`${words}: ${actName(kind)}${what}`, { act });
    });
  }

  async #attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work();
    } catch (why) {
      this.messages.fail(why);
    }
  }
}
