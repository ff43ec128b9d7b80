<!-- At hand: the first favorites with their numbers. One click makes a paste insert it. -->
<script lang="ts">
  import { onMount } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import { pictureFacts, shown, summary } from '../../state/words';
  import HandCard from '../batches/HandCard.svelte';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { drawers, rows, list } = $derived(console);
  const first = $derived(drawers.first.map((id) => ({ id, row: rows.get(id) })));
  const all = $derived((void list.version, list.favorites.clips));

  $effect(() => {
    void rows.version;
    void rows.need(drawers.first).catch(() => {});
  });
  onMount(() => {
    const wide = window.matchMedia('(min-width: 80rem)');
    const look = () => (drawers.visible = wide.matches);
    look();
    wide.addEventListener('change', look);
    return () => {
      wide.removeEventListener('change', look);
      drawers.visible = drawers.pointer = false;
    };
  });
</script>

<aside
  class="border-base-300 bg-base-200 hidden w-64 shrink-0 flex-col overflow-y-auto border-l p-3.5 xl:flex"
  aria-label={t('At hand')}
  onpointerenter={() => (drawers.pointer = true)}
  onpointerleave={() => {
    drawers.pointer = false;
    drawers.settle();
  }}
>
  <h2 class="font-semibold">{t('At hand')}</h2>
  {#if console.batches.inHand && (console.batches.inHand.left > 0 || console.batches.inHand.gathering)}
    <div class="mt-2"><HandCard {console} /></div>
  {/if}
  {#if first.length === 0 && list.favoritesRead}
    <p class="facts mt-2">{t('What you pin stands here, one click away. Choose a clip and press')} <KeyHint of="pin" />{t('.')}</p>
  {/if}
  <ol class="mt-2 flex flex-col gap-1.5">
    {#each first as { id, row }, n (id)}
      <li>
        <button
          type="button"
          class="bg-base-100 hover:border-base-content/30 flex w-full items-center gap-2.5 rounded-lg border border-transparent px-2.5 py-2 text-left"
          onclick={() => void console.acts.take(id, 'ready')}
          title={t('Take f{n}', { n: n + 1 })}
          data-at-hand={n + 1}
        >
          <span class="keycap soft shrink-0">f{n + 1}</span>
          <span class="min-w-0">
            {#if row}
              <span class="block truncate font-medium" dir="auto">{row.title ? shown(row.title) : summary(row)}</span>
              <span class="facts block truncate">{row.kind === 'image' ? pictureFacts(row) : row.title ? summary({ ...row, title: null }) : (row.source.program ?? row.kind)}</span>
            {:else}<span class="facts">…</span>{/if}
          </span>
        </button>
      </li>
    {/each}
  </ol>
  {#if all > first.length}
    <a class="facts hover:text-base-content mt-2 underline underline-offset-2" href="#/favorites">{t('All {all} favorites', { all: all.toLocaleString('en') })}</a>
  {/if}
</aside>
