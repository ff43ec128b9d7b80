<!-- What can be open in an unfolded clip: its title, its color, a drawer for it, the editor, its original. -->
<script lang="ts">
  import type { Detail, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import ColorDots from '../parts/ColorDots.svelte';
  import Comparison from './Comparison.svelte';
  import DrawerPicker from './DrawerPicker.svelte';
  import Editor from './Editor.svelte';
  import KeyHint from '../parts/KeyHint.svelte';

  let { console, row, whole }: { console: Console; row: Row; whole: Promise<Detail> } = $props();
  const panel = $derived(console.selection.panel);

  function end(): void {
    console.selection.panel = null;
    requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-id="${row.id}"]`)?.focus({ preventScroll: true }));
  }

  function focus(node: HTMLInputElement): void {
    node.focus();
    node.select();
  }

  async function title(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const value = new FormData(event.currentTarget as HTMLFormElement).get('title');
    const text = typeof value === 'string' ? value.trim() : '';
    if (text === (row.title ?? '')) return end();
    const done = await console.acts.run(console.service.title(row.id, text), () => (text ? `Titled “${text.slice(0, 60)}”.` : 'The title was taken away.'));
    if (done) end();
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    if (console.keys.command(event, 'form') === 'leave') {
      event.preventDefault();
      end();
    }
  }
</script>

{#if panel === 'title'}
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <form class="mt-2 flex max-w-xl items-center gap-1.5" onsubmit={(event) => void title(event)} onkeydown={onKey}>
    <input
      {@attach focus}
      name="title"
      class="bg-base-100 border-base-content/25 rounded-field h-8 grow border px-2.5"
      value={row.title ?? ''}
      maxlength="200"
      placeholder="A name to find it by"
      aria-label="Title"
      autocomplete="off"
    />
    <button type="submit" class="btn btn-sm btn-soft">Save <KeyHint of="confirm" /></button>
    <button type="button" class="btn btn-sm btn-ghost" onclick={end}>Leave <KeyHint of="leave" /></button>
  </form>
{:else if panel === 'color'}
  <div class="mt-2">
    <ColorDots value={row.color} onpick={(color) => void console.acts.paint([row.id], color).then((done) => done && end())} />
  </div>
{:else if panel === 'drawer'}
  <DrawerPicker {console} ids={[row.id]} onend={end} />
{:else if panel === 'edit'}
  {#await whole}
    <p class="facts">Reading…</p>
  {:then detail}
    <Editor {console} {row} whole={detail} onend={end} />
  {:catch why}
    <p class="text-error">It can't be read now: {why.message}.</p>
  {/await}
{:else if panel === 'compare'}
  <Comparison {console} {row} />
{/if}
