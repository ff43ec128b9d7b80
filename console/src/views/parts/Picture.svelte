<!-- A clip's picture, fetched small; says so when it can't be shown. -->
<script lang="ts">
  import { getContext } from 'svelte';

  import type { Pictured, Row } from '../../api/types';
  import type { Pictures } from '../../border/pictures';
  import { fileName, pictureFacts, summary } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { row, most, tall, pictured }: { row: Row; most: number; tall: number; pictured?: Pictured } = $props();
  /** Where the words stand that were searched for. */
  const found = $derived((pictured?.found ?? []).flatMap((n) => pictured?.words[n] ?? []));
  const pictures = getContext<Pictures>('pictures');
  const alt = $derived(
    row.kind === 'files' ? t('Picture file {files}', { files: fileName(row.files?.[0] ?? '') }) : t('Picture, {title}', { title: row.title ?? pictureFacts(row) }),
  );
  const url = $derived(pictures.get(row.id, most));
</script>

{#await url}
  <div class="bg-base-200 w-40 rounded-lg" style:height="{tall}px" role="img" aria-label={t('{row}, loading', { row: summary(row) })}></div>
{:then src}
  <span class="border-base-300 bg-base-200 relative inline-block max-w-full overflow-hidden rounded-lg border align-top">
    <img {src} {alt} class="max-w-full object-contain" style:max-height="{tall}px" draggable="false" />
    {#if pictured && found.length > 0}
      <svg class="pointer-events-none absolute inset-0 size-full" viewBox="0 0 {pictured.width} {pictured.height}" preserveAspectRatio="none" aria-hidden="true" data-found={found.length}>
        {#each found as { x, y, width, height }, n (n)}
          <rect class="found-word" {x} {y} {width} {height} vector-effect="non-scaling-stroke" />
        {/each}
      </svg>
    {/if}
  </span>
{:catch why}
  <p class="facts border-base-300 flex items-center rounded-lg border border-dashed px-3" style:min-height="{Math.min(tall, 56)}px">
    {why instanceof Error ? t("Can't be shown small: {message}", { message: why.message }) : t("Can't be shown small")}
  </p>
{/await}
