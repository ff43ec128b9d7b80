<!-- The batch in hand in a small window of its own, to stand beside the form. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { itemName } from '../../state/batches.svelte';
  import HandCard from './HandCard.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { batches } = $derived(console);
  const hand = $derived(batches.inHand);
  const upcoming = $derived(batches.open?.id === hand?.id ? batches.items.slice(hand?.handed ?? 0).slice(1, 60) : []);
</script>

<main class="bg-base-200 min-h-0 min-w-0 grow overflow-y-auto p-3" id="page" tabindex="-1">
  <div class="flex items-center gap-2 pb-2">
    <h1 class="grow font-semibold">{t('Batch in hand')}</h1>
    <a class="facts link" href="#/batches">{t('All of it')}</a>
  </div>
  {#if hand}
    <HandCard {console} large />
    {#if upcoming.length > 0}
      <h2 class="facts mt-3 font-medium">{t('After that')}</h2>
      <ol class="mt-1">
        {#each upcoming as item (item.id)}
          <li class="flex gap-2 py-0.5"><span class="facts figures w-6 shrink-0 text-right">{item.place}</span><span class="min-w-0 truncate" dir="auto">{itemName(item)}</span></li>
        {/each}
      </ol>
    {/if}
  {:else}
    <p class="soft" data-empty>{t('No batch is in hand.')}</p>
    <button type="button" class="btn btn-sm btn-primary touch mt-3" onclick={() => void batches.gather()}>{t('Gather what is copied')}</button>
  {/if}
</main>
