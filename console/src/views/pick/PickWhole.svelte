<!-- The whole of what is marked. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { facts, shown } from '../../state/words';
  import Picture from '../parts/Picture.svelte';
  import Plain from '../parts/Plain.svelte';
  import { t } from '../../language/language.svelte';

  let { console, id }: { console: Console; id: string } = $props();
  const detail = $derived(console.picking.whole?.row.id === id ? console.picking.whole : null);
  let box = $state<HTMLElement>();
  const LINE = 20;

  export function scroll(pages: boolean, by: number): void {
    box?.scrollBy({ top: by * (pages ? (box.clientHeight * 9) / 10 : 2 * LINE) });
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="min-h-0 grow overflow-y-auto px-4 py-3" bind:this={box} role="region" aria-label={t('The whole of it')} tabindex="0" data-whole>
  {#if detail}
    {#if detail.row.title}<p class="font-medium wrap-anywhere" dir="auto">{shown(detail.row.title)}</p>{/if}
    {#if detail.row.kind === 'image'}
      <Picture row={detail.row} most={1600} tall={520} />
    {:else if detail.row.kind === 'files'}
      <ul>
        {#each detail.row.files ?? [] as path (path)}
          <li class="break-all">{shown(path)}{#if detail.missing?.includes(path)}<span class="text-error">{' '}{t('is not there any more')}</span>{/if}</li>
        {/each}
      </ul>
    {:else}
      <div class="whitespace-pre-wrap wrap-anywhere" dir="auto"><Plain text={(detail.text ?? detail.row.head).slice(0, 200_000)} /></div>
      {#if detail.text_cut || (detail.text?.length ?? 0) > 200_000}<p class="facts mt-1">{t('Only the beginning is shown; a take gives all of it.')}</p>{/if}
    {/if}
    <p class="facts mt-2">{facts(detail.row).join(' · ')}</p>
  {/if}
</div>
