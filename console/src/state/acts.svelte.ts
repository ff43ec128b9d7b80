// What a person does to clips: each act is carried out by the service, said, and can be taken back.
import { Failure } from '../api/failure';
import type { Act, Acted, Color, Filled, Form, Question, Row } from '../api/types';
import type { Service, TakenAs } from '../border/service';
import type { Messages, Toast } from './messages.svelte';
import type { Page } from './page';
import type { Rows } from './rows.svelte';
import type { Search } from './search.svelte';
import type { Selection } from './selection.svelte';
import type { Sight } from './sight.svelte';
import { actName, colorName, count, summary, time } from './words';
import { counted, t } from '../language/language.svelte';

/** A text that asks something before it is taken. */
export interface Asking {
  row: Row;
  questions: Question[];
  answers: Record<string, string>;
  preview: string;
  /** How else it is taken once it is answered. */
  as: TakenAs;
}

/** Clips that one act may be on, as the service has it. */
const AT_ONCE = 10_000;
/** Acts of this window that are remembered. */
const REMEMBERED = 50;
const STORED = 'yadori.acts';

export class Acts {
  asking = $state.raw<Asking | null>(null);
  /** Grows when acts may have changed. */
  version = $state(0);
  /** One sees what an act does where one is: the page says. */
  isInSight: () => boolean = () => true;
  /** Asked before a secret is recorded. */
  onSecret: (what: string) => Promise<boolean> = () => Promise.resolve(false);
  /** Called when something was taken. */
  onTaken: () => void = () => {};

  /** What was done in this window and stands, and what was taken back here: ids of acts, the newest last. */
  #done: string[] = [];
  /** On a phone what is taken goes there. */
  onPhone: ((id: string) => Promise<void>) | null = null;
  #undone: string[] = [];
  /** What U would take back was said, and is asked. */
  #asked: { toast: Toast; id: string; step: 'undo' | 'redo' } | null = null;

  constructor(
    private service: Service,
    private rows: Rows,
    private sight: Sight,
    private selection: Selection,
    private search: Search,
    private messages: Messages,
    private page: Page,
  ) {
    try {
      const known = JSON.parse(page.keptHere(STORED) ?? '{}') as { done?: string[]; undone?: string[] };
      this.#done = known.done ?? [];
      this.#undone = known.undone ?? [];
    } catch {
      // A window without a past.
    }
  }

  #remember(): void {
    this.#done = this.#done.slice(-REMEMBERED);
    this.#undone = this.#undone.slice(-REMEMBERED);
    this.page.keepHere(STORED, JSON.stringify({ done: this.#done, undone: this.#undone }));
  }

  /** Acts may have been made, here or elsewhere. */
  changed(): void {
    this.version++;
  }

  async take(id: string, form: Form, answers: Record<string, string> = {}, as: TakenAs = {}): Promise<void> {
    if (this.onPhone) return this.onPhone(id);
    try {
      const { row, filled, missing, pasted } = await this.service.take(id, form, answers, as);
      this.asking = null;
      this.onTaken();
      const shape = as.as ?? (as.tidy ? t('tidied') : as.earlier ? t('as it was copied before') : '');
      const how = shape ? ` (${shape})` : form === 'plain' ? t(' (as plain text)') : filled ? t(' (filled in)') : '';
      const gone = missing?.length ? ` ${counted(missing.length, '{n} file of it is not there any more.', '{n} files of it are not there any more.')}` : '';
      this.messages.tell(`${pasted ? t('Pasted') : t('A paste now gives')}: ${summary(row).slice(0, 80)}${how}${gone}`, { wrong: gone !== '' });
    } catch (why) {
      const problem = why instanceof Failure ? why.problem : null;
      if (problem?.type !== 'needs-answers') return this.messages.fail(why);
      const row = this.rows.get(id) ?? (await this.service.detail(id)).row;
      const questions = problem.questions ?? [];
      const proposed = Object.fromEntries(questions.map((one) => [one.question, one.proposal ?? '']));
      this.asking = { row, questions, answers: proposed, preview: '', as };
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

  /**
   * Takes what is marked among what was found, as it is on the screen now; when that belongs to an older query, what
   * this one finds first, however late that comes and whatever is typed meanwhile.
   */
  async takeFound(form: Form): Promise<void> {
    const { search, selection } = this;
    const { text } = search;
    const marked = search.isSettled ? selection.selected : undefined;
    try {
      const id = marked === undefined ? await search.firstOf(text) : marked;
      if (id !== null) await this.take(id, form);
      else this.messages.tell(t('Nothing matches “{text}”.', { text: text.trim() }), { wrong: true });
    } catch (why) {
      this.messages.fail(why);
    }
  }

  /** Says so when these are more than the service changes at once. */
  tooMany(ids: string[]): boolean {
    if (ids.length <= AT_ONCE) return false;
    const words = { clips: count(ids.length, 'clip'), most: count(AT_ONCE, 'clip') };
    this.messages.tell(t('{clips} are chosen, and an act is on {most} at most. Choose fewer, or clear what a query finds: in the settings, under Clearing.', words), { wrong: true });
    return true;
  }

  /** Removes clips; gives false when that failed. */
  async remove(ids: string[]): Promise<boolean> {
    if (this.tooMany(ids)) return false;
    this.sight.starting(ids);
    this.selection.stepOff(ids);
    try {
      const { id, removed, grace_seconds, revision } = await this.service.remove(ids);
      this.sight.did(ids, ids, revision);
      const minutes = count(Math.ceil(grace_seconds / 60), 'minute');
      this.#told(id, t('Removed {clips}. It can be taken back for {minutes}.', { clips: count(removed, 'clip'), minutes }));
      return true;
    } catch (why) {
      this.sight.didNot(ids);
      this.messages.fail(why);
      return false;
    }
  }

  /** Carries an act on these clips out and says so, with the way back. */
  async run(ids: string[], work: () => Promise<Acted>, words: (acted: Acted) => string): Promise<Acted | null> {
    if (this.tooMany(ids)) return null;
    this.sight.starting(ids);
    try {
      const done = await work();
      this.rows.put(...done.clips);
      this.sight.did(ids, [...new Set([...ids, ...done.clips.map((row) => row.id)])], done.revision ?? 0);
      this.#told(done.id ?? '', words(done));
      return done;
    } catch (why) {
      this.sight.didNot(ids);
      this.messages.fail(why);
      return null;
    }
  }

  /** Clips were cleared elsewhere than in the list. */
  cleared(id: string, words: string): void {
    this.#told(id, words);
  }

  #told(id: string, words: string): void {
    this.changed();
    this.selection.unchoose();
    this.selection.came();
    if (id) this.#done.push(id);
    this.#undone = [];
    this.#remember();
    this.messages.tell(words, { act: { label: t('Undo'), key: 'undo', run: () => void this.#step('undo', id) } });
  }

  async pin(ids: string[]): Promise<void> {
    const all = ids.every((id) => this.rows.get(id)?.kept);
    const secret = ids.map((id) => this.rows.get(id)).find((row) => row?.until);
    if (secret && !(await this.onSecret(secret.head))) return;
    await (all
      ? this.run(ids, () => this.service.unpin(ids), ({ count: n }) => t('Unpinned {clips}.', { clips: count(n, 'clip') }))
      : this.run(ids, () => this.service.pin(ids, undefined, secret !== undefined), ({ count: n }) => t('Pinned {clips} among the favorites.', { clips: count(n, 'clip') })));
  }

  put = (ids: string[], drawer: string, name: string): Promise<Acted | null> =>
    this.run(ids, () => this.service.put(ids, drawer), ({ count: n }) => t('Put {clips} into {name}.', { clips: count(n, 'clip'), name }));

  paint = (ids: string[], color: Color | null): Promise<Acted | null> =>
    this.run(ids, () => this.service.paint(ids, color), ({ count: n }) =>
      color ? t('Colored {clips} {color}.', { clips: count(n, 'clip'), color: colorName(color) }) : t('The color of {clips} was taken away.', { clips: count(n, 'clip') }),
    );

  bringUp = (ids: string[]): Promise<Acted | null> =>
    this.run(ids, () => this.service.bringUp(ids), ({ count: n }) => t('Brought {clips} to the top of the history.', { clips: count(n, 'clip') }));

  /** Takes back the newest act made here. What was done elsewhere, or can't be seen from here, is said and asked first. */
  async undo(): Promise<void> {
    await this.#pressed('undo', this.#done.at(-1));
  }

  /** Makes again what was taken back last here. */
  async redo(): Promise<void> {
    await this.#pressed('redo', this.#undone.at(-1));
  }

  async #pressed(step: 'undo' | 'redo', own: string | undefined): Promise<void> {
    const asked = this.#asked;
    this.#asked = null;
    if (asked?.step === step && asked.toast === this.messages.toast) return this.#step(step, asked.id);
    if (own !== undefined && this.isInSight()) return this.#step(step, own);
    try {
      const all = await this.service.acts();
      const fits = (one: Act) => one.undone === (step === 'redo');
      const act = own === undefined ? all.find(fits) : all.find((one) => one.id === own);
      const nothing = step === 'undo' ? t('There is nothing to take back.') : t('There is nothing to make again.');
      if (!act) return this.messages.tell(nothing, { wrong: true });
      this.#ask(step, act, own !== undefined);
    } catch (why) {
      this.messages.fail(why);
    }
  }

  #ask(step: 'undo' | 'redo', act: Act, here: boolean): void {
    const about = act.first ? summary(act.first).slice(0, 60) : (act.drawer ?? '');
    const several = (act.clips ?? 0) > 1 && about ? t('{clips}, first {first}', { clips: count(act.clips ?? 0, 'clip'), first: about }) : about;
    const what = `${actName(act.act)}${several ? `: ${several}` : ''}`;
    const where = here ? t('in this window') : t('not in this window');
    const label = step === 'undo' ? t('Take it back') : t('Make it again');
    this.messages.tell(t('At {at}, {where}: {what}. {label}?', { at: time(act.at / 1000), where, what, label }), {
      act: { label, key: step, run: () => void this.#step(step, act.id ?? '') },
    });
    if (this.messages.toast) this.#asked = { toast: this.messages.toast, id: act.id ?? '', step };
  }

  /** Takes the act back that this is about, and no other. */
  stepTo(step: 'undo' | 'redo', id: string): Promise<void> {
    return this.#step(step, id);
  }

  async #step(step: 'undo' | 'redo', id: string): Promise<void> {
    const [from, to] = step === 'undo' ? [this.#done, this.#undone] : [this.#undone, this.#done];
    const forget = () => {
      const at = from.lastIndexOf(id);
      if (at >= 0) from.splice(at, 1);
    };
    try {
      const { act: kind, clips, count: n, revision } = await this.service[step](id);
      forget();
      to.push(id);
      this.#remember();
      this.changed();
      this.rows.put(...clips);
      this.sight.did([], clips.map((row) => row.id), revision ?? 0);
      if (n > clips.length) this.sight.adopt();
      this.search.again();
      // What comes back is selected: now, if its event was faster than this answer, or when it arrives.
      this.selection.await(kind === 'remove' && step === 'undo' ? (clips[0]?.id ?? null) : null);
      const what = clips.length === 1 && clips[0] ? `: ${summary(clips[0]).slice(0, 60)}` : n > 1 ? `: ${count(n, 'clip')}` : '';
      const [words, label, back] = step === 'undo' ? ([t('Taken back'), t('Redo'), 'redo'] as const) : ([t('Made again'), t('Undo'), 'undo'] as const);
      this.messages.tell(`${words}: ${actName(kind)}${what}`, { act: { label, key: back, run: () => void this.#step(back, id) } });
    } catch (why) {
      // It can't be stepped any more: the one before it is next.
      if (why instanceof Failure && why.status === 409) forget();
      this.messages.fail(why);
    }
  }
}
