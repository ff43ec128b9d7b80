<!-- Changing a text. What is typed is kept as a draft, also when the page is closed. -->
<script lang="ts">
  import { onMount } from 'svelte';

  import type { Detail, Filled, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { moment } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';

  let { console, row, whole, onend }: { console: Console; row: Row; whole: Detail; onend: () => void } = $props();
  const original = $derived(whole.text ?? '');
  const losesForm = $derived(whole.representations.some((one) => !/^(text\/plain|UTF8_STRING|STRING|TEXT)/.test(one.mime)));
  let text = $state('');
  let from = $state<number | null>(null);
  let ready = $state(false);
  let keepsBack = $state('');
  let area = $state<HTMLTextAreaElement>();
  let filled = $state.raw<Filled | null>(null);
  let problem = $state('');
  let timer: ReturnType<typeof setTimeout> | undefined;

  onMount(() => {
    void (async () => {
      const draft = await console.service.draft(row.id).catch(() => null);
      text = draft?.text ?? original;
      from = draft?.at ?? null;
      ready = true;
      requestAnimationFrame(() => {
        area?.focus();
        area?.setSelectionRange(text.length, text.length);
      });
      void preview();
    })();
    const leave = () => void keep(true);
    window.addEventListener('pagehide', leave);
    return () => {
      window.removeEventListener('pagehide', leave);
      clearTimeout(timer);
    };
  });

  async function keep(last = false): Promise<void> {
    if (!ready) return;
    clearTimeout(timer);
    try {
      await console.service.keepDraft(row.id, text === original ? '' : text, last);
      keepsBack = '';
    } catch (why) {
      keepsBack = why instanceof Error ? why.message : String(why);
    }
  }

  async function preview(): Promise<void> {
    problem = '';
    filled = null;
    if (!text.includes('{=')) return;
    const asked = text;
    try {
      const found = await console.service.fillIns(asked, row.id, {});
      if (asked === text) filled = found;
    } catch (why) {
      if (asked === text) problem = why instanceof Error ? why.message : String(why);
    }
  }

  function typed(): void {
    clearTimeout(timer);
    timer = setTimeout(() => {
      void keep();
      void preview();
    }, 300);
  }

  async function save(): Promise<void> {
    clearTimeout(timer);
    const done = await console.acts.run(console.service.edit(row.id, text), () => 'Changed. The original stays in the history.');
    if (!done) return;
    onend();
    if (done.made) console.selection.await(done.made);
  }

  async function drop(): Promise<void> {
    text = original;
    await keep();
    onend();
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    const command = console.keys.command(event, 'editor');
    if (!command) return;
    event.preventDefault();
    if (command === 'save') void save();
    else if (command === 'leave') void keep().then(onend);
  }
</script>

<div class="mt-1" data-editor>
  {#if losesForm}
    <p class="mb-1.5 text-xs" role="note">
      It holds formatting or other forms. The changed text will be plain; the original stays in the history as it is.
    </p>
  {/if}
  {#if from !== null}<p class="facts mb-1.5">Your draft of {moment(from / 1000)}.</p>{/if}
  {#if whole.text_cut}
    <p class="text-error text-xs">It is longer than a MiB and can't be changed here.</p>
  {:else}
    <textarea
      bind:this={area}
      bind:value={text}
      oninput={typed}
      onkeydown={onKey}
      aria-label="The changed text"
      class="bg-base-100 border-base-content/25 rounded-field max-h-[50vh] min-h-40 w-full max-w-[82ch] border px-3 py-2 leading-relaxed"
      rows={Math.min(18, Math.max(6, text.split('\n').length + 1))}
    ></textarea>
    {#if problem}
      <p class="text-error text-xs">A fill-in can't be filled: {problem}.</p>
    {:else if filled}
      <div class="facts mt-1 max-w-[82ch]">
        When taken: <span class="text-base-content whitespace-pre-wrap">{filled.text.slice(0, 600)}</span>
      </div>
    {/if}
    {#if keepsBack}<p class="text-error text-xs">The draft can't be kept now: {keepsBack}.</p>{/if}
    <div class="mt-2 flex items-center gap-1.5">
      <button type="button" class="btn btn-sm btn-primary" disabled={!ready || text === original || text === ''} onclick={() => void save()}>
        Save <KeyHint of="save" />
      </button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void keep().then(onend)}>Later <KeyHint of="leave" /></button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void drop()}>Discard</button>
      <span class="facts ml-auto">Drafts are kept until you save or discard them.</span>
    </div>
  {/if}
</div>
