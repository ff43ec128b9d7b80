<!-- How the history is made up. Every bar is a way into a search. -->
<script lang="ts">
  import type { Share } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { count, dayOf, size } from '../../state/words';
  import Chart from './Chart.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const insight = $derived(console.service.insight());

  const dayName = (name: string) => dayOf(Date.parse(`${name}T12:00`));
</script>

{#snippet bars(title: string, shares: Share[], by: 'clips' | 'bytes')}
  {@const most = Math.max(1, ...shares.map((one) => one[by]))}
  <section aria-label={title}>
    <h2 class="font-semibold">{title}</h2>
    <ul class="mt-2 flex flex-col gap-0.5">
      {#each shares as one (one.name)}
        <li>
          <button
            type="button"
            class="hover:bg-base-200 grid w-full grid-cols-[6.5rem_1fr_5.5rem] items-center gap-2 rounded-md px-1.5 py-1 text-left"
            title={t('Search for {query}', { query: one.query })}
            disabled={one.clips === 0}
            onclick={() => console.find(one.query)}
          >
            <span class="truncate">{one.name}</span>
            <span class="bg-base-200 h-2.5 overflow-hidden rounded-sm"><span class="bar bar-of-share block h-full rounded-sm" style:width="{(100 * one[by]) / most}%"></span></span>
            <span class="facts figures text-right">{by === 'bytes' ? size(one.bytes) : one.clips.toLocaleString('en')}</span>
          </button>
        </li>
      {/each}
    </ul>
  </section>
{/snippet}

<main class="min-h-0 min-w-0 grow overflow-y-auto" id="page" tabindex="-1">
  <div class="mx-auto max-w-4xl px-5 py-6" data-insight>
    <h1 class="text-base font-semibold">{t('Insight')}</h1>
    {#await insight}
      <p class="facts mt-2">{t('Counting…')}</p>
    {:then found}
      {#if found.all.clips === 0}
        <p class="mt-8 text-center" data-empty>{t('There is nothing to count yet. Copy something, and come back.')}</p>
      {:else}
        <p class="facts mt-1">{t('{clips}, {bytes}. Each bar leads to what it counts.', { clips: count(found.all.clips, 'clip'), bytes: size(found.all.bytes) })}</p>
        <section class="mt-5" aria-label={t('Copies by day')}>
          <h2 class="font-semibold">{t('By day, the last six weeks')}</h2>
          <Chart {console} name={t('Copies by day')} shares={found.days} label={dayName} onpick={(one) => console.find(one.query)} tall={150} />
        </section>
        <section class="mt-5" aria-label={t('Copies by hour')}>
          <h2 class="font-semibold">{t('By hour of the day')}</h2>
          <Chart {console} name={t('Copies by hour of the day')} shares={found.hours} label={(name) => `${name}:00`} onpick={(one) => console.find(one.query)} tall={120} />
        </section>
        <div class="mt-6 grid gap-x-10 gap-y-6 md:grid-cols-2">
          {@render bars(t('Kinds'), found.kinds, 'clips')}
          {@render bars(t('Sources'), found.sources, 'clips')}
          {@render bars(t('Size by kind'), found.kinds, 'bytes')}
          {@render bars(t('Size by age'), found.ages, 'bytes')}
        </div>
      {/if}
    {:catch why}
      <p class="text-error mt-4">{t("It can't be counted now: {message}.", { message: why.message })}</p>
    {/await}
  </div>
</main>

<style>
  .bar {
    background: color-mix(in oklch, var(--color-primary) 65%, var(--color-base-100));
  }
</style>
