// What is typed and not saved yet. Nothing of it is let go of before it is safe: it is in this browser's storage from the
// first letter on, and in the service as soon as that has it.
import type { Row } from '../api/types';
import { Failure } from '../api/failure';
import type { Service } from '../border/service';
import type { Messages } from './messages.svelte';
import type { Page } from './page';
import { t } from '../language/language.svelte';

const STORED = 'yadori.typed.';
const NAMES = 'yadori.typed';
const REST = 300;

/** What is being edited: the text of a clip. It outlives whatever becomes of the clip. */
export class Editing {
  text = $state('');
  original = $state('');
  /** When the draft that it began with was kept. */
  from = $state<number | null>(null);
  ready = $state(false);
  /** What has become of the clip meanwhile. */
  note = $state<string | null>(null);
  /** The clip is in the history no longer: the words can be saved as a new one. */
  orphaned = $state(false);
  problem = $state<string | null>(null);
  /** Its clip holds more than plain text, which the changed one will not. */
  losesForm = $state(false);
  tooLong = $state(false);

  constructor(readonly row: Row) {}

  get changed(): boolean {
    return this.ready && this.text !== this.original;
  }
}

export class Drafts {
  /** The editor that is open. */
  editing = $state.raw<Editing | null>(null);
  /** The service does not have what was typed last; the browser has. */
  onlyHere = $state(false);

  #callOff: () => void = () => {};

  constructor(
    private service: Service,
    private page: Page,
    private messages: Messages,
  ) {}

  /** Opens the editor of a clip, with what was typed there before. */
  async open(row: Row): Promise<void> {
    if (this.editing?.row.id === row.id) return;
    const editing = new Editing(row);
    this.editing = editing;
    this.onlyHere = false;
    try {
      const [detail, draft] = await Promise.all([this.service.detail(row.id), this.service.draft(row.id).catch(() => null)]);
      if (this.editing !== editing) return;
      editing.original = detail.text ?? '';
      editing.losesForm = detail.representations.some((one) => !/^(text\/plain|UTF8_STRING|STRING|TEXT)/.test(one.mime));
      editing.tooLong = detail.text_cut;
      // What was typed while it was being read comes after it.
      const early = editing.text;
      editing.text = (this.typed(`edit:${row.id}`) ?? draft?.text ?? editing.original) + early;
      editing.from = draft?.at ?? null;
      editing.ready = true;
      if (early !== '') this.changed();
    } catch (why) {
      editing.problem = why instanceof Error ? why.message : String(why);
    }
  }

  /** Something was typed in the editor: safe in the browser at once, in the service after a pause. */
  changed(): void {
    const { editing } = this;
    if (!editing?.ready) return;
    this.keep(`edit:${editing.row.id}`, editing.changed ? editing.text : null);
    this.#callOff();
    this.#callOff = this.page.after(REST, () => void this.hand(editing));
  }

  /** Hands a draft to the service. `last`: the page is closing. True when it is safe there. */
  async hand(editing: Editing, last = false): Promise<boolean> {
    this.#callOff();
    if (!editing.ready || editing.orphaned) return false;
    const { text } = editing;
    try {
      await this.service.keepDraft(editing.row.id, editing.changed ? text : '', last);
      if (editing.text === text) this.keep(`edit:${editing.row.id}`, null);
      this.onlyHere = false;
      return true;
    } catch (why) {
      if (why instanceof Failure && why.status === 404) editing.orphaned = true;
      this.onlyHere = editing.changed;
      return false;
    }
  }

  /** Leaves the editor; what was typed stays, and where it stays is said. */
  async leave(): Promise<void> {
    const { editing } = this;
    this.editing = null;
    if (!editing?.changed) return void (editing && (await this.hand(editing)));
    if (!(await this.hand(editing))) {
      const room = this.keep(`edit:${editing.row.id}`, editing.text);
      this.messages.tell(
        room
          ? t('Your words are kept in this browser until the service answers; press E on the clip to go on.')
          : t('Neither the service nor this browser can keep your words now.'),
        { wrong: true },
      );
      if (!room) this.editing = editing;
    }
  }

  /** It was saved, or is not wanted any more. */
  end(editing: Editing): void {
    this.#callOff();
    this.keep(`edit:${editing.row.id}`, null);
    if (this.editing === editing) this.editing = null;
  }

  /** The service is back: what only the browser had is handed over. */
  async handOver(): Promise<void> {
    const ids = this.#names.filter((name) => name.startsWith('edit:')).map((name) => name.slice(5));
    let handed = 0;
    for (const id of ids) {
      const text = this.typed(`edit:${id}`);
      if (text === null || this.editing?.row.id === id) continue;
      try {
        await this.service.keepDraft(id, text, false);
        this.keep(`edit:${id}`, null);
        handed++;
      } catch {
        // Its clip is gone, or the service is: the browser keeps it.
      }
    }
    if (handed > 0) this.messages.tell(handed === 1 ? t('Your draft is safe in the service now.') : t('Your {n} drafts are safe in the service now.', { n: handed }));
    if (this.editing) await this.hand(this.editing);
  }

  /** The clip that is being edited was changed from elsewhere, or is gone. */
  heard(id: string, gone: boolean, copied: boolean): void {
    const { editing } = this;
    if (editing?.row.id !== id) return;
    editing.orphaned = gone;
    if (gone) editing.note = t('This clip was removed meanwhile. Your words stay here, and can be saved as a new clip.');
    else if (copied) editing.note = t('This clip was copied again meanwhile. Your words are as you typed them.');
  }

  /** What was typed in a field and not sent; `null` when nothing was. */
  typed(name: string): string | null {
    return this.page.kept(STORED + name);
  }

  /** Keeps what is typed in a field, or (`null`) lets go of it. False when there is no room for it. */
  keep(name: string, text: string | null): boolean {
    const names = this.#names.filter((one) => one !== name);
    if (text !== null) names.push(name);
    const done = this.page.keep(STORED + name, text);
    this.page.keep(NAMES, JSON.stringify(names));
    return done;
  }

  get #names(): string[] {
    try {
      const known: unknown = JSON.parse(this.page.kept(NAMES) ?? '[]');
      return Array.isArray(known) ? known.filter((one): one is string => typeof one === 'string') : [];
    } catch {
      return [];
    }
  }
}
