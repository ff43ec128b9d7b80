<!-- One line to type and save. What is typed is kept until it is saved or left on purpose, whatever happens around it. -->
<script lang="ts">
  import { untrack } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import KeyHint from './KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  interface Props {
    console: Console;
    /** Under what name the words are kept. */
    keeps: string;
    label: string;
    value?: string;
    placeholder?: string;
    most?: number;
    save?: string;
    /** May be empty. */
    empty?: boolean;
    /** True when it was saved. */
    onsave: (text: string) => Promise<boolean>;
    onleave: () => void;
  }
  let { console, keeps, label, value = '', placeholder = '', most = 80, save = t('Save'), empty = false, onsave, onleave }: Props = $props();
  const { drafts } = $derived(console);
  let text = $state(untrack(() => drafts.typed(keeps) ?? value));

  function focus(node: HTMLInputElement): void {
    node.focus();
    if (untrack(() => text === value)) node.select();
  }

  async function submit(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const wanted = text.trim();
    if (wanted === '' && !empty) return;
    if (await onsave(wanted)) drafts.keep(keeps, null);
  }

  function leave(): void {
    drafts.keep(keeps, null);
    onleave();
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    if (console.keys.command(event, 'form') !== 'leave') return;
    event.preventDefault();
    leave();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<form class="flex min-w-0 grow flex-wrap items-center gap-1.5" onsubmit={(event) => void submit(event)} onkeydown={onKey}>
  <input
    {@attach focus}
    class="field h-8 min-w-32 grow"
    bind:value={text}
    oninput={() => drafts.keep(keeps, text)}
    maxlength={most}
    {placeholder}
    aria-label={label}
    autocomplete="off"
  />
  <button type="submit" class="btn btn-sm btn-soft">{save} <KeyHint of="confirm" /></button>
  <button type="button" class="btn btn-sm btn-ghost" onclick={leave}>{t('Leave')} <KeyHint of="leave" /></button>
</form>
