<!-- What can be done with what is marked, each with its key. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys.svelte';
  import type { Ask } from '../../state/picking/asks';
  import { askOf } from '../../state/picking/press';
  import { nextWords } from '../../state/batches.svelte';
  import ToastLine from '../frame/ToastLine.svelte';
  import KeyHint from '../parts/KeyHint.svelte';

  let { console, onact }: { console: Console; onact: () => void } = $props();
  const { picking, rows } = $derived(console);
  const now = $derived(picking.now);
  const marked = $derived(now.marked === undefined ? undefined : rows.get(now.marked));
  const [paste, board] = ['Paste', 'To the clipboard'];
  // Opened by hand, there is nothing to paste into: there is one way to take.
  const take = $derived(!picking.byChord || now.swapped ? board : paste);
  const other = $derived(!picking.byChord ? null : now.swapped ? paste : board);

  const acts = $derived<[Command, string][]>(
    now.tidying
      ? [['leave', 'Back']]
      : [
          ['pickPlain', 'Plain'],
          ['pickTidy', 'Tidy'],
          ...(marked?.kind === 'text' || marked?.kind === 'link' ? ([['pickEdit', 'Edit']] as [Command, string][]) : []),
          ['pickPin', marked?.kept ? 'Unpin' : 'Pin'],
          ['pickGather', 'Batch'],
          ['pickWhole', now.whole !== null ? 'List' : 'Whole'],
          ['pickRemove', 'Remove'],
          ['pickUndo', 'Undo'],
          ...(now.view === 'history' ? ([['pickClear', now.query === '' ? 'Clear' : 'Clear these']] as [Command, string][]) : []),
        ],
  );

  function press(ask: Ask | null): void {
    if (ask) picking.press(ask);
    onact();
  }
</script>

<footer class="relative border-base-300 bg-base-200/60 border-t px-3 pt-1.5 pb-2" data-pick-acts>
  <ToastLine {console} above />
  {#if !picking.editing}
    <div class="flex flex-wrap items-center gap-0.5" role="group" aria-label="What can be done">
      <button type="button" class="btn btn-sm btn-primary touch" disabled={!now.marked} onclick={() => press({ ask: 'take' })} data-take>{take} <KeyHint of="pickTake" /></button>
      {#if other}
        <button type="button" class="btn btn-sm btn-ghost touch px-2" disabled={!now.marked} onclick={() => press({ ask: 'take-otherwise' })} data-other>{other} <KeyHint of="pickOther" /></button>
      {/if}
      {#each acts as [command, label] (command)}
        <button type="button" class={['btn btn-sm btn-ghost touch px-2', (command === 'pickRemove' || command === 'pickClear') && 'text-error']} disabled={!now.marked && command !== 'pickUndo' && command !== 'pickClear' && command !== 'leave'} onclick={() => press(askOf(command, 0))}>{label} <KeyHint of={command} /></button>
      {/each}
    </div>
  {/if}
  {#if picking.batch}
    <div class="mt-1 flex items-center gap-2">
      <p class="facts min-w-0 grow truncate" dir="auto" data-batch>{nextWords(picking.batch)}</p>
      <button type="button" class="btn btn-sm btn-soft touch px-2" disabled={picking.batch.left === 0} onclick={() => press({ ask: 'hand-out' })}>Next of it <KeyHint of="pickNext" /></button>
    </div>
  {/if}
</footer>
