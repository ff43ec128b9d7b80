<!-- A clip's picture, fetched small; says so when it can't be shown. -->
<script lang="ts">
  import { getContext } from 'svelte';

  import type { Row } from '../../api/types';
  import type { Pictures } from '../../border/pictures';
  import { fileName, pictureFacts, summary } from '../../state/words';

  let { row, most, tall }: { row: Row; most: number; tall: number } = $props();
  const pictures = getContext<Pictures>('pictures');
  const alt = $derived(
    row.kind === 'files' ? `Picture file ${fileName(row.files?.[0] ?? '')}` : `Picture, ${row.title ?? pictureFacts(row)}`,
  );
  const url = $derived(pictures.get(row.id, most));
</script>

{#await url}
  <div class="bg-base-200 w-40 rounded-lg" style:height="{tall}px" role="img" aria-label="{summary(row)}, loading"></div>
{:then src}
  <img
    {src}
    {alt}
    class="border-base-300 bg-base-200 max-w-full rounded-lg border object-contain"
    style:max-height="{tall}px"
    draggable="false"
  />
{:catch why}
  <p class="facts border-base-300 flex items-center rounded-lg border border-dashed px-3" style:min-height="{Math.min(tall, 56)}px">
    {why instanceof Error ? `Can't be shown small: ${why.message}` : "Can't be shown small"}
  </p>
{/await}
