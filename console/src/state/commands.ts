// What the keys do in a list. Acts are about what is selected, or about all that are chosen; what is pressed before the
// list is there waits for it, in order.
import type { Console } from './console.svelte';
import type { Command } from './keys.svelte';
import type { Panel } from './selection.svelte';
import { count } from './words';
import { t } from '../language/language.svelte';

/** What the view does afterwards: bring the selected row into sight, with the focus; nothing; `null`: it was no command here. */
export type Then = 'follow' | 'nothing' | null;

/** Presses that wait for a list at most. */
const WAITING = 40;
/** Characters of a text that can be edited here: the service gives no more than a MiB of it. */
const EDITABLE = 1 << 20;

export class Commands {
  #waiting: Command[] = [];
  /** A row that is still being read, in which something is to be opened: nothing else is done meanwhile. */
  #reading: string | null = null;

  constructor(private console: Console) {}

  /** `rows`: how many rows fit into the view. */
  run(command: Command, rows: number): Then {
    if (!this.console.sight.loaded) {
      if (command === 'leave') this.#waiting = [];
      else if (this.#waiting.length < WAITING) this.#waiting.push(command);
      return 'nothing';
    }
    if (this.#reading !== null) {
      if (command === 'leave') this.#reading = null;
      return 'nothing';
    }
    return this.#move(command, rows) ?? this.#act(command);
  }

  /** The list is there: what was pressed meanwhile is done. */
  resume(rows: number): Then {
    let then: Then = null;
    for (const command of this.#waiting.splice(0)) then = this.run(command, rows) ?? then;
    return then;
  }

  #move(command: Command, rows: number): Then {
    const { sight, selection } = this.console;
    const page = Math.max(1, rows - 1);
    const all = sight.now.ids.length;
    const steps: Partial<Record<Command, [number, boolean]>> = {
      next: [1, false],
      chooseDown: [1, true],
      previous: [-1, false],
      chooseUp: [-1, true],
      pageDown: [page, false],
      choosePageDown: [page, true],
      pageUp: [-page, false],
      choosePageUp: [-page, true],
      first: [-all, false],
      chooseToFirst: [-all, true],
      last: [all, false],
      chooseToLast: [all, true],
    };
    const step = steps[command];
    if (!step) return null;
    const [by, choosing] = step;
    // Past the upper end one moves on to what waits there.
    if (by < 0 && sight.waiting.size > 0 && (command === 'first' || sight.place(selection.selected) === 0)) sight.adopt();
    const from = selection.selected;
    if (choosing && from) selection.choose([from], true);
    if (command === 'first') selection.select(sight.now.ids[0] ?? null);
    else if (command === 'last') selection.last(this.console.isReadingOn);
    else selection.step(by);
    if (choosing && selection.selected && from) {
      const [a, b] = [sight.place(from), sight.place(selection.selected)];
      selection.choose(sight.now.ids.slice(Math.min(a, b), Math.max(a, b) + 1), true);
    }
    return 'follow';
  }

  #act(command: Command): Then {
    const { selection, acts } = this.console;
    if (command === 'leave') return this.#leave();
    const id = selection.selected;
    const chosen = selection.chosenInOrder;
    const subjects = id === null ? chosen : selection.subjects(id);
    if (id !== null && chosen.length === 0 && this.#isDivider(id)) return this.#onDivider(command, id);
    const single = (panel: Panel) => () => this.#open(panel, id, chosen.length);
    const doings: Partial<Record<Command, () => void>> = {
      take: () => id && void acts.take(id, 'ready'),
      takePlain: () => id && void acts.take(id, 'plain'),
      remove: () => void acts.remove(subjects),
      pin: () => void acts.pin(subjects),
      bringUp: () => void acts.bringUp(subjects),
      addToBatch: () => void this.console.batches.add(subjects),
      choose: () => id && selection.choose([id], !selection.chosen.has(id)),
      drawer: () => (chosen.length > 0 ? this.#several('drawer') : this.#open('drawer', id, 0)),
      color: () => (chosen.length > 0 ? this.#several('color') : this.#open('color', id, 0)),
      edit: single('edit'),
      title: single('title'),
      tidy: single('tidy'),
      unfold: () => id && selection.toggle(id),
      moveUp: () => id && void this.#shift(id, -1),
      moveDown: () => id && void this.#shift(id, 1),
    };
    const doing = doings[command];
    if (!doing) return null;
    if (subjects.length === 0) this.console.messages.tell(t('Nothing is selected. ↑ and ↓ choose a clip.'), { wrong: true });
    else doing();
    return command === 'unfold' || command === 'remove' ? 'follow' : 'nothing';
  }

  #several(panel: 'drawer' | 'color'): void {
    const { selection } = this.console;
    selection.several = selection.several === panel ? null : panel;
  }

  #open(panel: Panel, id: string | null, chosen: number): void {
    const { selection, messages, rows } = this.console;
    if (chosen > 1) return messages.tell(t('That is done to one clip at a time; {clips} are chosen. Esc lets go of them.', { clips: count(chosen, 'clip') }), { wrong: true });
    if (id === null) return;
    const row = rows.get(id);
    if (!row) {
      this.#reading = id;
      const read = () => {
        if (this.#reading !== id) return;
        this.#reading = null;
        if (selection.selected === id && rows.get(id)) return this.#open(panel, id, 0);
        // A person may be typing into what did not open.
        this.console.rest();
        messages.tell(t('This clip could not be read now. Try it again.'), { wrong: true });
      };
      rows.need([id]).then(read, read);
      return;
    }
    if (panel === 'edit') {
      const isText = row.kind === 'text' || row.kind === 'link';
      if (!isText) return messages.tell(row.kind === 'image' ? t("A picture can't be edited here. It can be given a title.") : t("A list of files can't be edited here. It can be given a title."), { wrong: true });
      if (row.chars > EDITABLE) return messages.tell(t("It is longer than a MiB, and can't be edited here. Save it as a file."), { wrong: true });
    }
    if (panel === 'tidy' && row.kind === 'image') return messages.tell(t('A picture has no text to be tidied.'), { wrong: true });
    selection.open(id, panel);
  }

  #leave(): Then {
    const { selection, search, sight, messages } = this.console;
    if (messages.toast) messages.dismiss();
    if (selection.close()) return 'follow';
    if (search.active) search.clear();
    else if (selection.selected) selection.select(null);
    else sight.release();
    return 'follow';
  }

  #isDivider(id: string): boolean {
    const { sight } = this.console;
    return sight.now.kinds[sight.place(id)] === 'd';
  }

  #onDivider(command: Command, id: string): Then {
    const { selection, messages } = this.console;
    if (command === 'title') selection.open(id, 'title');
    else if (command === 'remove') void this.removeDivider(id);
    else if (command === 'moveUp' || command === 'moveDown') void this.#shift(id, command === 'moveUp' ? -1 : 1);
    else messages.tell(t('This is a divider: T gives it other words, Del removes it, Alt ↑ ↓ moves it.'), { wrong: true });
    return 'nothing';
  }

  /** Moves something by so many places, and says where it is then. */
  async #shift(id: string, by: number): Promise<void> {
    const { sight, messages, place, search } = this.console;
    if (place.view === 'history' || search.active) return messages.tell(t('The history is in the order of copying. B brings a clip to its top.'), { wrong: true });
    const { ids } = sight.now;
    const to = sight.place(id) + by;
    if (to < 0 || to >= ids.length) return;
    const before = by < 0 ? ids[to] : ids[to + 1];
    if (await this.move(id, before ?? '')) messages.say(t('Now {to} of {all}', { to: to + 1, all: ids.length }));
  }

  /** Puts something of this place before something else of it, or (an empty text) at its end. */
  async move(id: string, before: string): Promise<boolean> {
    const { acts, service, place } = this.console;
    if (id === before || (place.view !== 'favorites' && place.view !== 'drawer')) return false;
    if (this.#isDivider(id)) {
      if (place.view !== 'drawer') return false;
      const done = await acts.run([], () => service.changeDivider(place.id, id, { before }), () => t('Moved the divider.'));
      if (done) await this.console.drawerChanged();
      return done !== null;
    }
    const work = () => (place.view === 'drawer' ? service.put([id], place.id, before) : service.pin([id], before));
    return (await acts.run([id], work, () => 'Moved.')) !== null;
  }

  async removeDivider(id: string): Promise<void> {
    const { acts, service, place } = this.console;
    if (place.view !== 'drawer') return;
    if (await acts.run([], () => service.removeDivider(place.id, id), () => t('The divider was removed.'))) await this.console.drawerChanged();
  }

}
