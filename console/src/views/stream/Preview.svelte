<!-- The whole of a clip while the pointer rests on its row, or on this. -->
<script lang="ts">
  import type { Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { blankness, shown } from '../../state/words';
  import Picture from '../parts/Picture.svelte';

  interface Props {
    console: Console;
    row: Row;
    /** Where it lies, in pixels: from the top or from the bottom of the list. */
    top: number | null;
    bottom: number | null;
    room: number;
    onstay: () => void;
    onleave: () => void;
  }
  let { console, row, top, bottom, room, onstay, onleave }: Props = $props();
  const id = $derived(row.id);
  const whole = $derived(console.rows.detail(id));
  const isPicture = $derived(row.kind === 'image' || /\.(png|jpe?g|gif|webp|bmp|tiff?|svg)$/i.test(row.files?.[0] ?? ''));
  const height = $derived(Math.min(384, room));
  const words = (text: string) => blankness(text, row.chars) ?? shown(text.slice(0, 4_000));
</script>

<div
  class="bg-base-100 border-base-300 rounded-box absolute right-3 z-10 w-[min(24rem,45%)] overflow-y-auto border p-3 shadow-xl"
  style:top={top === null ? undefined : `${top}px`}
  style:bottom={bottom === null ? undefined : `${bottom}px`}
  style:max-height="{height}px"
  aria-hidden="true"
  onpointerenter={onstay}
  onpointerleave={onleave}
  data-preview
>
  {#if isPicture}
    <Picture {row} most={1000} tall={Math.max(40, height - 30)} />
  {:else if row.kind === 'files'}
    {#each row.files ?? [] as path (path)}<p class="break-all">{shown(path)}</p>{/each}
  {:else}
    {#await whole}
      <p class="wrap-anywhere whitespace-pre-wrap" dir="auto">{words(row.head)}</p>
    {:then detail}
      <p class="wrap-anywhere whitespace-pre-wrap" dir="auto">{words(detail.text ?? row.head)}</p>
    {:catch}
      <p class="wrap-anywhere whitespace-pre-wrap" dir="auto">{words(row.head)}</p>
    {/await}
  {/if}
</div>
