<!-- Changing a text. What is typed is kept as a draft from the first letter on, whatever becomes of its clip, of the
     service or of the page. -->
<script lang="ts">
  import { onMount, untrack } from 'svelte';

  import type { Filled, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { moment } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  let { console, row, onend }: { console: Console; row: Row; onend: () => void } = $props();
  const { drafts, acts, selection, service, messages } = $derived(console);
  const editing = $derived(drafts.editing?.row.id === row.id ? drafts.editing : null);
  let filled = $state.raw<Filled | null>(null);
  let problem = $state('');
  let asked = '';

  // The field is there at once: what is pressed next is typed into it, also while the text is being read.
  untrack(() => void drafts.open(row).then(preview));
  onMount(() => {
    const leave = () => drafts.editing && void drafts.hand(drafts.editing, true);
    window.addEventListener('pagehide', leave);
    return () => {
      window.removeEventListener('pagehide', leave);
      if (drafts.editing?.row.id === untrack(() => row.id)) void drafts.leave();
    };
  });

  function begin(area: HTMLTextAreaElement): void {
    area.focus();
    area.setSelectionRange(area.value.length, area.value.length);
  }

  async function preview(): Promise<void> {
    const text = editing?.text ?? '';
    asked = text;
    if (!text.includes('{=')) {
      filled = null;
      problem = '';
      return;
    }
    try {
      const found = await service.fillIns(text, row.id, {});
      if (asked === text) [filled, problem] = [found, ''];
    } catch (why) {
      if (asked === text) [filled, problem] = [null, why instanceof Error ? why.message : String(why)];
    }
  }

  function typed(): void {
    drafts.changed();
    void preview();
  }

  async function save(): Promise<void> {
    const own = editing;
    if (!own?.changed || own.text === '') return;
    if (own.orphaned) return saveAsNew();
    const done = await acts.run([row.id], () => service.edit(row.id, own.text), () => t('Changed. The original stays in the history.'));
    if (!done) return;
    drafts.end(own);
    onend();
    if (done.made) selection.await(done.made);
  }

  async function saveAsNew(): Promise<void> {
    const own = editing;
    if (!own) return;
    try {
      const { row: made } = await service.add(own.text);
      drafts.end(own);
      onend();
      messages.tell(t('Your words are a clip of their own now.'));
      selection.await(made.id);
      console.sight.adopt();
      selection.came();
    } catch (why) {
      messages.fail(why);
    }
  }

  async function later(): Promise<void> {
    const own = editing;
    if (own?.orphaned && own.changed) {
      return messages.tell(t('The clip is gone, so there is no place for a draft. Save your words as a new clip, or discard them.'), { wrong: true });
    }
    await drafts.leave();
    if (drafts.editing === null) onend();
  }

  async function discard(): Promise<void> {
    const own = editing;
    if (!own) return onend();
    own.text = own.original;
    await drafts.hand(own);
    drafts.end(own);
    onend();
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    const command = console.keys.command(event, 'editor');
    if (!command) return;
    event.preventDefault();
    if (command === 'save') void save();
    else if (command === 'leave') void later();
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div class="mt-1" data-editor onkeydown={onKey}>
  {#if editing?.problem}<p class="text-error">{t("It can't be read now: {problem}.", { problem: editing.problem })}</p>{/if}
  {#if editing}
    {#if editing.note}<p class="note mb-1.5 rounded-md px-2.5 py-1.5" role="status" data-note>{editing.note}</p>{/if}
    {#if editing.losesForm}
      <p class="mb-1.5 text-xs" role="note">
        {t('It holds formatting or other forms. The changed text will be plain; the original stays in the history as it is.')}
      </p>
    {/if}
    {#if editing.from !== null}<p class="facts mb-1.5">{t('Your draft of {from}.', { from: moment(editing.from / 1000) })}</p>{/if}
    {#if editing.tooLong}
      <p class="text-error text-xs">{t("It is longer than a MiB and can't be changed here.")}</p>
    {:else}
      <textarea
        {@attach begin}
        bind:value={editing.text}
        oninput={typed}
        aria-label={t('The changed text')}
        aria-busy={!editing.ready}
        dir="auto"
        class="field editor-area min-h-24 w-full max-w-[82ch] px-3 py-2 leading-relaxed"
        rows={Math.min(18, Math.max(5, editing.text.split('\n').length + 1))}
      ></textarea>
      {#if problem}
        <p class="text-error text-xs">{t("A fill-in can't be filled: {problem}.", { problem })}</p>
      {:else if filled}
        <div class="facts mt-1 max-w-[82ch]">
          {t('When taken:')} <span class="text-base-content whitespace-pre-wrap">{filled.text.slice(0, 600)}</span>
        </div>
      {/if}
      {#if drafts.onlyHere}<p class="text-error text-xs" role="status" data-only-here>{t("The service can't be reached: your words are kept in this browser until it is back.")}</p>{/if}
      <div class="mt-2 flex flex-wrap items-center gap-1.5">
        {#if editing.orphaned}
          <button type="button" class="btn btn-sm btn-primary" disabled={editing.text === ''} onclick={() => void saveAsNew()}>{t('Save as a new clip')} <KeyHint of="save" /></button>
        {:else}
          <button type="button" class="btn btn-sm btn-primary" disabled={!editing.changed || editing.text === ''} onclick={() => void save()}>{t('Save')} <KeyHint of="save" /></button>
          <button type="button" class="btn btn-sm btn-ghost" onclick={() => void later()}>{t('Later')} <KeyHint of="leave" /></button>
        {/if}
        <button type="button" class="btn btn-sm btn-ghost" onclick={() => void discard()}>{t('Discard')}</button>
        <span class="facts ml-auto">{t('Drafts are kept until you save or discard them.')}</span>
      </div>
    {/if}
  {/if}
</div>
