<!-- At hand: the first favorites with their numbers. One click makes a paste insert it. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { pictureFacts, summary } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';

  let { console }: { console: Console } = $props();
  const first = $derived(console.kept.first);
</script>

<aside class="border-base-300 bg-base-200 hidden w-64 shrink-0 flex-col overflow-y-auto border-l p-3.5 xl:flex" aria-label="At hand">
  <h2 class="font-semibold">At hand</h2>
  {#if first.length === 0}
    <p class="facts mt-2">What you pin stands here, one click away. Choose a clip and press <KeyHint of="pin" />.</p>
  {/if}
  <ol class="mt-2 flex flex-col gap-1.5">
    {#each first as row, n (row.id)}
      <li>
        <button
          type="button"
          class="bg-base-100 hover:border-base-content/30 flex w-full items-center gap-2.5 rounded-lg border border-transparent px-2.5 py-2 text-left"
          onclick={() => void console.acts.take(row.id, 'ready')}
          title="Take f{n + 1}"
          data-at-hand={n + 1}
        >
          <span class="keycap soft shrink-0">f{n + 1}</span>
          <span class="min-w-0">
            <span class="block truncate font-medium">{row.title ?? summary(row)}</span>
            <span class="facts block truncate">{row.kind === 'image' ? pictureFacts(row) : row.title ? summary({ ...row, title: null }) : (row.source.program ?? row.kind)}</span>
          </span>
        </button>
      </li>
    {/each}
  </ol>
  {#if console.kept.favoriteCount > first.length}
    <a class="facts hover:text-base-content mt-2 underline underline-offset-2" href="#/favorites">All {console.kept.favoriteCount} favorites</a>
  {/if}
</aside>
