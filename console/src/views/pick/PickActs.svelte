<!-- What can be done with what is marked, each with its key. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys.svelte';
  import type { Ask } from '../../state/picking/asks';
  import { askOf } from '../../state/picking/press';
  import { nextWords } from '../../state/batches.svelte';
  import ToastLine from '../frame/ToastLine.svelte';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  let { console, onact }: { console: Console; onact: () => void } = $props();
  const { picking, rows } = $derived(console);
  const now = $derived(picking.now);
  const marked = $derived(now.marked === undefined ? undefined : rows.get(now.marked));
  const [paste, board] = $derived([t('Paste'), t('To the clipboard')]);
  // Opened by hand, there is nothing to paste into: there is one way to take.
  const take = $derived(!picking.byChord || now.swapped ? board : paste);
  const other = $derived(!picking.byChord ? null : now.swapped ? paste : board);

  const acts = $derived<[Command, string][]>(
    now.tidying
      ? [['leave', t('Back')]]
      : [
          ['pickPlain', t('Plain')],
          ['pickTidy', t('Tidy')],
          ...(marked?.kind === 'text' || marked?.kind === 'link' ? ([['pickEdit', t('Edit')]] as [Command, string][]) : []),
          ['pickPin', marked?.kept ? t('Unpin') : t('Pin')],
          ['pickGather', t('Batch')],
          ['pickWhole', now.whole !== null ? t('List') : t('Whole')],
          ['pickRemove', t('Remove')],
          ['pickUndo', t('Undo')],
          ...(now.view === 'history' ? ([['pickClear', now.query === '' ? t('Clear') : t('Clear these')]] as [Command, string][]) : []),
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
    <div class="flex flex-wrap items-center gap-0.5" role="group" aria-label={t('What can be done')}>
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
      <button type="button" class="btn btn-sm btn-soft touch px-2" disabled={picking.batch.left === 0} onclick={() => press({ ask: 'hand-out' })}>{t('Next of it')} <KeyHint of="pickNext" /></button>
    </div>
  {/if}
</footer>
