<!-- A kept text asks something before it is taken: answers, and what becomes of it. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { summary } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const asking = $derived(console.acts.asking);

  function focus(node: HTMLInputElement): void {
    node.focus();
    node.select();
  }

  function leave(): void {
    console.acts.asking = null;
    console.focusPage();
  }

  async function take(form: 'ready' | 'copied'): Promise<void> {
    if (!asking) return;
    await console.acts.take(asking.row.id, form, form === 'ready' ? asking.answers : {}, asking.as);
    if (console.acts.asking === null) console.focusPage();
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    if (console.keys.command(event, 'form') !== 'leave') return;
    event.preventDefault();
    leave();
  }
</script>

{#if asking}
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <form
    class="bg-base-100 border-base-content/20 fixed inset-x-0 bottom-0 z-30 mx-auto max-h-full max-w-2xl overflow-y-auto rounded-t-xl border p-4 shadow-2xl sm:bottom-5 sm:rounded-xl"
    aria-label={t('Before it is taken')}
    onsubmit={(event) => {
      event.preventDefault();
      void take('ready');
    }}
    onkeydown={onKey}
    data-asking
  >
    <p class="font-medium">{t('{title} asks', { title: asking.row.title ?? summary(asking.row).slice(0, 60) })}</p>
    <div class="mt-2 grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2">
      {#each asking.questions as one, n (one.question)}
        <label for="answer-{n}">{one.question}</label>
        {#if n === 0}
          <input
            {@attach focus}
            id="answer-{n}"
            class="field h-9"
            value={asking.answers[one.question] ?? ''}
            oninput={(event) => void console.acts.previewAnswers({ ...asking.answers, [one.question]: event.currentTarget.value })}
            autocomplete="off"
          />
        {:else}
          <input
            id="answer-{n}"
            class="field h-9"
            value={asking.answers[one.question] ?? ''}
            oninput={(event) => void console.acts.previewAnswers({ ...asking.answers, [one.question]: event.currentTarget.value })}
            autocomplete="off"
          />
        {/if}
      {/each}
    </div>
    {#if asking.preview}<p class="facts mt-2 line-clamp-4 whitespace-pre-wrap" data-preview-filled>{asking.preview}</p>{/if}
    <div class="mt-3 flex gap-1.5">
      <button type="submit" class="btn btn-sm btn-primary">{t('Take')} <KeyHint of="confirm" /></button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void take('copied')}>{t('As copied')}</button>
      <button type="button" class="btn btn-sm btn-ghost ml-auto" onclick={leave}>{t('Leave')} <KeyHint of="leave" /></button>
    </div>
  </form>
{/if}
