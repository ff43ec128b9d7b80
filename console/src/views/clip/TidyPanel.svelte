<!-- How a text is cleaned up on its way out: what it becomes is shown while one chooses. -->
<script lang="ts">
  import type { Row, Tidied } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { Latest } from '../../state/latest.svelte';
  import { TIDY } from '../../state/tidy';
  import { count } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import Plain from '../parts/Plain.svelte';
  import { t } from '../../language/language.svelte';

  let { console, row, onend }: { console: Console; row: Row; onend: () => void } = $props();
  /** In the order in which they were chosen. */
  let steps = $state.raw<string[]>([]);
  const tidied = new Latest<Tidied>();

  $effect(() => {
    if (steps.length === 0) tidied.clear();
    else tidied.read(console.service.tidied(row.id, steps));
  });

  const toggle = (name: string) => (steps = steps.includes(name) ? steps.filter((one) => one !== name) : [...steps, name]);

  async function take(): Promise<void> {
    await console.acts.take(row.id, 'ready', {}, { tidy: steps });
    onend();
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    if (console.keys.command(event, 'form') !== 'leave') return;
    event.preventDefault();
    onend();
  }

  const focus = (node: HTMLElement) => node.querySelector('button')?.focus();
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div class="mt-2" onkeydown={onKey} data-tidy={steps.join(',')}>
  <div class="flex flex-wrap gap-1" role="group" aria-label={t('How it is cleaned up')} {@attach focus}>
    {#each TIDY as [name, label] (name)}
      <button type="button" class={['chip touch', { pressed: steps.includes(name) }]} aria-pressed={steps.includes(name)} onclick={() => toggle(name)}>{t(label)}</button>
    {/each}
  </div>
  {#if tidied.problem}<p class="text-error mt-1.5">{tidied.problem}</p>{/if}
  {#if tidied.value}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div class="border-base-300 mt-2 max-h-56 max-w-[78ch] overflow-y-auto rounded-lg border px-2.5 py-1.5 whitespace-pre-wrap wrap-anywhere" role="region" aria-label={t('What it becomes')} tabindex="0" dir="auto" data-tidied><Plain text={tidied.value.text} /></div>
    <p class="facts mt-1">{tidied.value.changed ? count(tidied.value.chars, 'character') : t('It is the same as before.')}</p>
  {/if}
  <div class="mt-2 flex gap-1">
    <button type="button" class="btn btn-sm btn-primary touch" disabled={steps.length === 0} onclick={() => void take()}>{t('Take it so')}</button>
    <button type="button" class="btn btn-sm btn-ghost touch" onclick={onend}>{t('Leave')} <KeyHint of="leave" /></button>
  </div>
</div>
