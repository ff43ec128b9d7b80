<!-- The whole of a clip while the pointer rests on its row. Lies beside the row and takes no clicks. -->
<script lang="ts">
  import type { Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import Picture from '../parts/Picture.svelte';

  let { console, row, top }: { console: Console; row: Row; top: number } = $props();
  const whole = $derived(console.list.detail(row.id));
  const isPicture = $derived(row.kind === 'image' || /\.(png|jpe?g|gif|webp|bmp|tiff?|svg)$/i.test(row.files?.[0] ?? ''));
</script>

<div
  class="bg-base-100 border-base-300 rounded-box pointer-events-none absolute right-3 z-10 max-h-96 w-[min(30rem,60%)] overflow-hidden border p-3 shadow-xl"
  style:top="{top}px"
  aria-hidden="true"
  data-preview
>
  {#if isPicture}
    <Picture {row} most={1000} tall={340} />
  {:else}
    {#await whole}
      <p class="line-clamp-[17] break-words whitespace-pre-wrap">{row.head}</p>
    {:then detail}
      <p class="line-clamp-[17] break-words whitespace-pre-wrap">{detail.text?.slice(0, 4_000) ?? row.head}</p>
    {:catch}
      <p class="line-clamp-[17] break-words whitespace-pre-wrap">{row.head}</p>
    {/await}
  {/if}
</div>
