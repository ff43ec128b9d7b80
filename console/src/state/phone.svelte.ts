// The console on a phone: what is taken goes to the phone's own clipboard, and what is typed or shared there comes in.
import type { Service } from '../border/service';
import type { Messages } from './messages.svelte';
import type { Page } from './page';
import type { Rows } from './rows.svelte';
import { count, summary } from './words';
import { t } from '../language/language.svelte';

/** A content as a browser's clipboard takes it. */
const TYPES = { text: 'text/plain', picture: 'image/png' } as const;

export class Phone {
  /** The sheet is open in which something is added. */
  adding = $state(false);
  /** What was typed there; it stays until it is in the history. */
  text = $state('');
  busy = $state(false);
  readonly here: boolean;

  constructor(
    private service: Service,
    private rows: Rows,
    private messages: Messages,
    private page: Page,
  ) {
    this.here = page.onPhone;
  }

  /** Puts a clip on the phone's clipboard: its picture, or its text. */
  async take(id: string): Promise<void> {
    const detail = this.service.detail(id);
    // Whether it is a picture is known from the row: the clipboard has to be asked at once.
    const picture = this.rows.get(id)?.kind === 'image';
    const content = detail.then(async (one) => {
      if (picture) return this.service.picture(id, 4_096);
      const n = one.text_cut ? one.representations.findIndex((part) => part.mime.startsWith('text/plain')) : -1;
      if (n >= 0) return new Blob([await (await this.service.representation(id, n)).text()], { type: TYPES.text });
      return new Blob([one.text ?? one.row.head], { type: TYPES.text });
    });
    try {
      await this.page.putHere(content, picture ? TYPES.picture : TYPES.text);
      const { row } = await detail;
      this.messages.tell(t('On this phone’s clipboard: {row}', { row: summary(row).slice(0, 80) }));
    } catch (why) {
      // Where the clip itself could not be had, that is the reason.
      const cause = await content.then(() => why, (first: unknown) => first);
      this.messages.fail(cause);
    }
  }

  /** Adds what was typed. */
  async addText(): Promise<void> {
    if (this.text.trim() === '') return;
    if (await this.#add(() => this.service.add(this.text))) {
      this.text = '';
      this.adding = false;
      this.messages.tell(t('Added. It is the newest clip on the computer.'));
    }
  }

  /** Adds pictures, or other files that were chosen. */
  async addFiles(files: Iterable<Blob>): Promise<void> {
    const all = [...files];
    let done = 0;
    for (const file of all) {
      if (!(await this.#add(() => this.service.addBlob(file)))) break;
      done += 1;
    }
    if (done === 0) return;
    this.adding = false;
    this.messages.tell(t('Added {clips}.', { clips: count(done, 'clip') }));
  }

  /** Takes in what another program has shared. What can't be added now stands in the sheet. */
  async takeIn(): Promise<void> {
    if (!this.here) return;
    const shared = await this.page.shared().catch(() => null);
    if (!shared) return;
    if (shared.text) {
      this.text = shared.text;
      this.adding = true;
      await this.addText();
    }
    if (shared.files.length > 0) await this.addFiles(shared.files);
  }

  async #add(what: () => Promise<unknown>): Promise<boolean> {
    this.busy = true;
    try {
      await what();
      return true;
    } catch (why) {
      this.messages.fail(why);
      return false;
    } finally {
      this.busy = false;
    }
  }
}
