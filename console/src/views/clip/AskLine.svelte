<!-- A kept text asks something before it is taken: answers, and what becomes of it. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { summary } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';

  let { console }: { console: Console } = $props();
  const asking = $derived(console.acts.asking);
  let before: Element | null = null;

  function focus(node: HTMLInputElement): void {
    before = document.activeElement;
    node.focus();
    node.select();
  }

  function leave(): void {
    console.acts.asking = null;
    if (before instanceof HTMLElement) before.focus();
  }

  function take(event: SubmitEvent): void {
    event.preventDefault();
    if (!asking) return;
    void console.acts.take(asking.row.id, 'ready', asking.answers).then(() => before instanceof HTMLElement && before.focus());
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    if (console.keys.command(event, 'form') === 'leave') leave();
  }
</script>

{#if asking}
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <form
    class="bg-base-100 border-base-content/20 fixed inset-x-0 bottom-0 z-30 mx-auto max-w-2xl rounded-t-xl border p-4 shadow-2xl sm:bottom-5 sm:rounded-xl"
    aria-label="Before it is taken"
    onsubmit={take}
    onkeydown={onKey}
    data-asking
  >
    <p class="font-medium">{asking.row.title ?? summary(asking.row).slice(0, 60)} asks</p>
    <div class="mt-2 grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2">
      {#each asking.questions as one, n (one.question)}
        <label for="answer-{n}">{one.question}</label>
        {#if n === 0}
          <input
            {@attach focus}
            id="answer-{n}"
            class="border-base-content/25 rounded-field h-9 border bg-transparent px-2.5"
            value={asking.answers[one.question] ?? ''}
            oninput={(event) => void console.acts.previewAnswers({ ...asking.answers, [one.question]: event.currentTarget.value })}
            autocomplete="off"
          />
        {:else}
          <input
            id="answer-{n}"
            class="border-base-content/25 rounded-field h-9 border bg-transparent px-2.5"
            value={asking.answers[one.question] ?? ''}
            oninput={(event) => void console.acts.previewAnswers({ ...asking.answers, [one.question]: event.currentTarget.value })}
            autocomplete="off"
          />
        {/if}
      {/each}
    </div>
    {#if asking.preview}<p class="facts mt-2 line-clamp-4 whitespace-pre-wrap" data-preview-filled>{asking.preview}</p>{/if}
    <div class="mt-3 flex gap-1.5">
      <button type="submit" class="btn btn-sm btn-primary">Take <KeyHint of="confirm" /></button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void console.acts.take(asking.row.id, 'copied')}>As copied</button>
      <button type="button" class="btn btn-sm btn-ghost ml-auto" onclick={leave}>Leave <KeyHint of="leave" /></button>
    </div>
  </form>
{/if}
