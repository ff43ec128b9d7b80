<!-- A kept clip: its number, its sign, what it is. Unfolds in place. -->
<script lang="ts">
  import type { Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { facts, summary } from '../../state/words';
  import Unfolded from '../clip/Unfolded.svelte';
  import Dot from '../parts/Dot.svelte';
  import KindSign from '../parts/KindSign.svelte';
  import Picture from '../parts/Picture.svelte';

  let { console, row, number }: { console: Console; row: Row; number: string } = $props();
  const unfolded = $derived(console.selection.unfolded === row.id);
</script>

<span class="facts figures w-8 shrink-0 pt-px text-right">{number}</span>
<KindSign kind={row.kind} />
<div class="min-w-0 grow">
  {#if unfolded}
    <Unfolded {console} {row} inPlace />
  {:else if row.kind === 'image'}
    <Picture {row} most={400} tall={72} />
    <p class="facts truncate">{row.title ? `${row.title} · ` : ''}{facts(row).join(' · ')}</p>
  {:else}
    <p class="truncate leading-5" data-summary>
      {#if row.title}<span class="font-medium">{row.title}</span><span class="soft">{` · ${summary({ ...row, title: null })}`}</span>{:else}{summary(row)}{/if}
    </p>
    <p class="facts truncate leading-4.5">{#if row.color}<Dot color={row.color} />{' '}{/if}{row.fill_ins ? 'fills in · ' : ''}{facts(row).join(' · ')}</p>
  {/if}
</div>
{#if !unfolded}
  <button
    type="button"
    class="btn btn-xs btn-ghost opacity-0 group-hover:opacity-100 group-focus-within:opacity-100 max-sm:hidden"
    onclick={() => void console.acts.take(row.id, 'ready')}>Take</button
  >
{/if}
