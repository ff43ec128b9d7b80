<!-- What is next in the batch in hand, how many are left, and the buttons that hand it out. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { batchName, itemWords } from '../../state/batches.svelte';
  import { shown } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console, large = false }: { console: Console; large?: boolean } = $props();
  const { batches } = $derived(console);
  const batch = $derived(batches.inHand);
</script>

{#if batch}
  <div class="bg-base-100 rounded-lg px-3 py-2.5" data-hand={batch.id}>
    <p class="facts flex items-baseline gap-2">
      <span class="min-w-0 grow truncate">{batchName(batch)}</span>
      <span class="figures shrink-0" data-left>{t('{left} left', { left: batch.left })}</span>
    </p>
    <div class="bg-base-300 mt-1.5 h-1 overflow-hidden rounded-full" aria-hidden="true">
      <span class="bar-of-share bg-primary block h-full" style:width="{batch.items > 0 ? (100 * batch.handed) / batch.items : 0}%"></span>
    </div>
    {#if batch.next}
      <p class={['mt-2 wrap-anywhere', large ? 'line-clamp-6 text-base' : 'line-clamp-2']} data-next={batch.next.place} dir="auto">
        <span class="facts figures">{batch.next.place}</span>
        {#if batch.next.label}<span class="font-medium">{shown(batch.next.label)}</span>{' · '}{/if}{itemWords(batch.next)}
      </p>
      {#if batch.records > 1}<p class="facts figures">{t('Record {record} of {records}, field {field} of {fields}', { record: batch.next.record, records: batch.records, field: batch.next.field, fields: batch.fields })}</p>{/if}
    {:else}
      <p class="soft mt-2" data-next="0">{batch.items === 0 ? t('Nothing is in it yet.') : t('All of it was handed out.')}</p>
    {/if}
    <div class="mt-2 flex flex-wrap items-center gap-1">
      {#if batch.next}
        <button type="button" class="btn btn-sm btn-primary touch" onclick={() => void batches.hand('next', undefined, batch.id)}>{t('Hand out')}</button>
        <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void batches.hand('skip', undefined, batch.id)}>{t('Skip')}</button>
      {/if}
      {#if batch.handed > 0}
        <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void batches.hand('back', undefined, batch.id)}>{t('Back')}</button>
        <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void batches.hand('again', undefined, batch.id)}>{t('Start again')}</button>
      {/if}
      {#if batch.gathering}<button type="button" class="btn btn-sm btn-soft touch px-2" onclick={() => void batches.gather()}>{t('End gathering')}</button>{/if}
    </div>
    {#if batch.gathering}<p class="facts mt-1.5"><span class="text-success" aria-hidden="true">●</span> {t('Copies join it.')}</p>{/if}
  </div>
{/if}
