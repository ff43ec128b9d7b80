<!-- A bar chart (uPlot), read when it is needed. The same numbers stand in a table for those who don't see it. -->
<script lang="ts">
  import 'uplot/dist/uPlot.min.css';

  import type uPlot from 'uplot';

  import type { Share } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { count, size } from '../../state/words';
  import { t } from '../../language/language.svelte';

  interface Props {
    console: Console;
    name: string;
    shares: Share[];
    label: (name: string) => string;
    onpick?: (share: Share) => void;
    /** What the bars count. */
    by?: 'clips' | 'bytes';
    /** How much of each bar is marked. */
    goes?: number[];
    tall: number;
  }
  let { console, name, shares, label, onpick, by = 'clips', goes, tall }: Props = $props();
  const amount = (one: Share) => (by === 'bytes' ? size(one.bytes) : goes ? count(one.clips, 'clip') : count(one.clips, 'copy', 'copies'));
  let box = $state<HTMLElement>();
  let at = $state<number | null>(null);
  const shown = $derived(at === null ? null : shares[at]);
  const going = $derived(at === null ? 0 : (goes?.[at] ?? 0));
  const marked = $derived(going > 0 ? t(', of which {amount} would go', { amount: by === 'bytes' ? size(going) : going.toLocaleString('en') }) : '');

  $effect(() => {
    const node = box;
    if (!node) return;
    let chart: uPlot | undefined;
    let observer: ResizeObserver | undefined;
    let gone = false;
    void import('uplot').then(({ default: Plot }) => {
      if (gone) return;
      const style = getComputedStyle(document.documentElement);
      const ink = style.getPropertyValue('--soft').trim();
      const fill = style.getPropertyValue('--color-primary').trim();
      const mark = style.getPropertyValue('--color-error').trim();
      const line = style.getPropertyValue('--color-base-300').trim();
      const bars = Plot.paths.bars?.({ size: [0.72, 40], radius: 0.12 });
      const axis = { stroke: ink, font: '11px "Inter Variable", sans-serif', ticks: { show: false } };
      chart = new Plot(
        {
          width: node.clientWidth,
          height: tall,
          legend: { show: false },
          cursor: { y: false, points: { show: false }, drag: { x: false, y: false } },
          scales: { x: { time: false, range: (_, min, max) => [min - 0.6, max + 0.6] }, y: { range: (_, __, max) => [0, Math.max(4, max)] } },
          series: [{}, { fill, ...(bars ? { paths: bars } : {}), points: { show: false } }, ...(goes ? [{ fill: mark, ...(bars ? { paths: bars } : {}), points: { show: false } }] : [])],
          axes: [
            { ...axis, size: 26, gap: 4, grid: { show: false }, incrs: [1, 2, 3, 4, 7, 14], space: 56, values: (_, ticks) => ticks.map((n) => (Number.isInteger(n) && shares[n] ? label(shares[n].name) : '')) },
            by === 'bytes' ? { ...axis, size: 56, grid: { stroke: line, width: 1 }, space: 34, values: (_, ticks) => ticks.map(size) } : { ...axis, size: 36, grid: { stroke: line, width: 1 }, incrs: [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000], space: 34 },
          ],
          hooks: { setCursor: [(plot) => (at = plot.cursor.idx ?? null)] },
        },
        [shares.map((_, n) => n), shares.map((one) => one[by]), ...(goes ? [goes] : [])],
        node,
      );
      observer = new ResizeObserver(() => chart?.setSize({ width: node.clientWidth, height: tall }));
      observer.observe(node);
    });
    return () => {
      gone = true;
      observer?.disconnect();
      chart?.destroy();
    };
  });

  function pick(): void {
    const one = at === null ? undefined : shares[at];
    if (one && one.clips > 0) onpick?.(one);
  }

  function onKey(event: KeyboardEvent): void {
    const command = console.keys.command(event, 'chart');
    const by = command === 'nextBar' ? 1 : command === 'previousBar' ? -1 : 0;
    if (by !== 0) {
      event.preventDefault();
      event.stopPropagation();
      at = Math.max(0, Math.min(shares.length - 1, (at ?? (by > 0 ? -1 : shares.length)) + by));
    } else if (command === 'confirm') {
      event.preventDefault();
      pick();
    }
  }
</script>

<div
  class="chart relative mt-1 w-full cursor-pointer"
  role="slider"
  aria-label={onpick ? t('{name}: arrow keys choose a bar, Enter searches', { name }) : t('{name}: arrow keys choose a bar', { name })}
  aria-valuemin={0}
  aria-valuemax={Math.max(0, shares.length - 1)}
  aria-valuenow={at ?? 0}
  aria-valuetext={shown ? `${label(shown.name)}: ${amount(shown)}${marked}` : t('nothing chosen')}
  tabindex="0"
  style:height="{tall}px"
  bind:this={box}
  onclick={pick}
  onkeydown={onKey}
  onpointerleave={() => (at = null)}
></div>
<p class="facts figures h-5" aria-hidden="true">
  {#if shown}{label(shown.name)} · {amount(shown)}{marked}{/if}
</p>
<details class="facts">
  <summary class="touch w-fit cursor-pointer py-1">{t('The same as a table')}</summary>
  <table class="mt-1">
    <caption class="sr-only">{name}</caption>
    <thead><tr><th scope="col" class="pr-6 text-left font-medium">{goes ? t('Age') : t('When')}</th><th scope="col" class="text-right font-medium">{goes ? t('There are') : t('Copies')}</th>{#if goes}<th scope="col" class="pl-6 text-right font-medium">{t('Would go')}</th>{/if}</tr></thead>
    <tbody>
      {#each shares as one, n (one.name)}
        {#if one.clips > 0}<tr><th scope="row" class="pr-6 text-left font-normal">{label(one.name)}</th><td class="figures text-right">{by === 'bytes' ? size(one.bytes) : one.clips.toLocaleString('en')}</td>{#if goes}<td class="figures pl-6 text-right">{by === 'bytes' ? size(goes[n] ?? 0) : (goes[n] ?? 0).toLocaleString('en')}</td>{/if}</tr>{/if}
      {/each}
    </tbody>
  </table>
</details>
