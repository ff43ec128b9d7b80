<!-- A question before something is done: it keeps the focus, gives it back, and offers to leave everything as it is. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { summary } from '../../state/words';
  import KindSign from './KindSign.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { questions } = $derived(console);
  let noButton = $state<HTMLButtonElement>();
  let yesButton = $state<HTMLButtonElement>();

  function open(node: HTMLDialogElement): () => void {
    const before = document.activeElement;
    node.showModal();
    return () => {
      node.close();
      if (before instanceof HTMLElement && before.isConnected) before.focus();
    };
  }
</script>

{#if questions.now}
  {@const { title, lines, sample, yes, no } = questions.now}
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <dialog
    {@attach open}
    class="question bg-base-100 text-base-content border-base-content/20 m-auto max-h-[calc(100%-1rem)] w-[min(32rem,calc(100%-1rem))] overflow-y-auto rounded-xl border p-5 shadow-2xl"
    aria-labelledby="question-title"
    aria-describedby="question-words"
    role="alertdialog"
    oncancel={(event) => {
      event.preventDefault();
      questions.answer(false);
    }}
    onkeydown={(event) => event.stopPropagation()}
    data-question
  >
    <!-- The focus stays between the answers: behind the last comes the first. -->
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <span tabindex="0" onfocus={() => yesButton?.focus()}></span>
    <h2 class="text-base font-semibold" id="question-title">{title}</h2>
    <div id="question-words" class="mt-2">
      {#each lines as line (line)}<p>{line}</p>{/each}
    </div>
    {#if sample.length > 0}
      <ul class="border-base-300 mt-3 border-t pt-2" aria-label={t('Some of them')}>
        {#each sample as row (row.id)}
          <li class="flex items-center gap-2 py-0.5"><KindSign kind={row.kind} /><span class="min-w-0 truncate">{summary(row)}</span></li>
        {/each}
      </ul>
    {/if}
    <div class="mt-4 flex flex-wrap justify-end gap-2">
      <!-- svelte-ignore a11y_autofocus -->
      <button bind:this={noButton} type="button" class="btn btn-sm btn-primary touch" autofocus onclick={() => questions.answer(false)} data-no>{no}</button>
      <button bind:this={yesButton} type="button" class="btn btn-sm btn-soft text-error touch" onclick={() => questions.answer(true)} data-yes>{yes}</button>
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <span tabindex="0" onfocus={() => noButton?.focus()}></span>
  </dialog>
{/if}

<style>
  .question::backdrop {
    background: oklch(0.2 0.02 265 / 0.45);
  }
</style>
