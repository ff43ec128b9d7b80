<!-- One clip in a list: its place, its sign, what it is, where it is from, when. Unfolds in place. -->
<script lang="ts">
  import Bookmark from '@lucide/svelte/icons/bookmark';

  import type { Excerpt, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { isPicture, rowHeight } from '../../state/layout';
  import { look, sizes, tall } from '../../state/look.svelte';
  import { facts, linkParts, moment, pictureFacts, shortDate, shown, spoken, summary, time } from '../../state/words';
  import Dot from '../parts/Dot.svelte';
  import KindSign from '../parts/KindSign.svelte';
  import Marked from '../parts/Marked.svelte';
  import Picture from '../parts/Picture.svelte';
  import Unfolded from '../clip/Unfolded.svelte';
  import { t } from '../../language/language.svelte';

  interface Props {
    console: Console;
    id: string;
    place: number;
    /** As it stands beside the row. */
    number: string;
    total: number;
    kind: string;
    row: Row | undefined;
    top: number;
    excerpts: Excerpt[] | undefined;
    listed: 'history' | 'found' | 'kept';
    now: number;
    /** What is dragged would be dropped before it. */
    dropsHere: boolean;
    onover: () => void;
    onheight: (height: number) => void;
    onrest: (id: string | null) => void;
  }
  let { console, id, place, number, total, kind, row: current, top, excerpts, listed, now, dropsHere, onover, onheight, onrest }: Props = $props();

  const { selection, sight } = $derived(console);
  // What was known of it stays on the screen when it is let go of elsewhere: something may be typed in it.
  let known: Row | undefined;
  const row = $derived((known = current ?? known));
  const selected = $derived(selection.selected === id);
  const unfolded = $derived(selection.unfolded === id);
  const chosen = $derived(selection.chosen.has(id));
  const gone = $derived(sight.gone.has(id));
  const least = $derived(rowHeight(kind, sizes()));
  const showsPicture = $derived(isPicture(kind));
  /** Everything stands in one line. */
  const dense = $derived(look.density === 'dense');
  const parts = $derived(row?.kind === 'link' ? linkParts(shown(row.head)) : null);
  const best = $derived(excerpts?.find((one) => ['title', 'text', 'file'].includes(one.of)));
  /** A match in what stands in the second line. */
  const other = $derived(best ? undefined : excerpts?.[0]);
  const when = $derived(row ? (listed === 'history' ? time(row.copied_at / 1000) : shortDate(row.copied_at / 1000, now)) : '');
  const said = $derived(row ? ` ${spoken(row, when)}` : '');
  const label = $derived(`${gone ? t('Removed, ') : ''}${number}${said}`);

  function choose(event: MouseEvent): void {
    event.stopPropagation();
    if (event.shiftKey) selection.chooseTo(id);
    else selection.choose([id], !chosen);
    selection.select(id);
  }

  function drag(event: DragEvent): void {
    selection.dragged = selection.chosen.has(id) ? selection.chosenInOrder : [id];
    sight.dragging = true;
    event.dataTransfer?.setData('text/plain', '');
  }

  function dragEnd(): void {
    selection.dragged = [];
    sight.dragging = false;
    sight.down = false;
    sight.release();
  }

  /** The height of the unfolded row, whenever it changes. */
  function measure(node: HTMLElement): () => void {
    const observer = new ResizeObserver(() => onheight(node.offsetHeight));
    observer.observe(node);
    return () => observer.disconnect();
  }
</script>

{#snippet second(row: Row)}
  {#if row.kept?.drawer_name && listed !== 'kept'}<span class="text-base-content/80">{row.kept.drawer_name}</span> ·{/if}
  {#if other}{#if other.of === 'picture'}{t('read in the picture: ')}{/if}<Marked excerpt={other} />{:else}{row.fill_ins ? t('fills in · ') : ''}{facts(row).join(' · ')}{/if}
{/snippet}

<!-- svelte-ignore a11y_click_events_have_key_events, a11y_interactive_supports_focus -->
<div
  class={['rounded-box group absolute inset-x-1 sm:inset-x-4', { 'z-1': selected, 'opacity-60': gone, 'drop-before': dropsHere }]}
  style:top="{top}px"
  style:height={unfolded ? undefined : `${least / 16}rem`}
  role="row"
  id="row-{id}"
  data-id={id}
  data-row
  aria-posinset={place + 1}
  aria-setsize={total}
  aria-selected={selection.chosen.size > 0 ? chosen : selected}
  aria-expanded={unfolded}
  aria-label={label}
  tabindex={selected ? 0 : -1}
  draggable={!unfolded}
  {@attach unfolded && measure}
  onpointerenter={(event) => event.pointerType !== 'touch' && onrest(id)}
  onpointerleave={() => onrest(null)}
  ondragstart={drag}
  ondragend={dragEnd}
  ondragenter={onover}
  onclick={(event) => {
    if (event.target instanceof Element && !event.target.closest('button, a, iframe, pre, input, textarea, [data-words], [data-picker], [data-editor]')) selection.toggle(id);
  }}
>
  <div
    role="presentation"
    class={[
      'rounded-box row h-full cursor-default border px-1.5 sm:px-2.5',
      selected ? 'selected border-secondary/70 bg-base-200' : chosen ? 'border-base-300 bg-base-200/70' : 'hover:bg-base-200/60 border-transparent',
    ]}
  >
    <div class="flex gap-2 sm:gap-2.5" role="presentation" style:min-height={unfolded ? undefined : `${(least - 2) / 16}rem`}>
      <div role="gridcell" class="shrink-0">
        <button
          type="button"
          class={['facts figures choose touch mt-1.5 h-6 rounded-md px-1 text-right', { chosen }]}
          tabindex="-1"
          aria-pressed={chosen}
          aria-label={t('Choose {number}', { number })}
          title={t('Choose; with Shift, up to here')}
          onclick={choose}>{chosen ? '✓' : number}</button
        >
      </div>
      {#if row}
        <div role="gridcell" class={['flex min-w-0 grow gap-2 sm:gap-2.5', dense && !showsPicture && !unfolded ? 'pt-1.5' : 'pt-2']}>
          <KindSign kind={row.kind} />
          <div class="min-w-0 grow">
            {#if gone}<p class="text-error text-xs" data-gone>{t('Removed meanwhile. Undo where it was removed brings it back.')}</p>{/if}
            {#if unfolded}
              <Unfolded {console} {row} />
            {:else if showsPicture}
              <Picture {row} most={look.previews === 'large' ? 800 : 400} tall={tall()} />
              <p class="mt-0.5 truncate leading-5">
                {#if row.kind === 'files' || row.title}{summary(row)} {:else}<span class="facts">{pictureFacts(row)}</span>{/if}
                <span class="facts ml-1">{#if other}{#if other.of === 'picture'}{t('read in the picture: ')}{/if}<Marked excerpt={other} />{:else}{facts(row).join(' · ')}{/if}</span>
              </p>
            {:else if !gone}
              <p class="truncate leading-5" dir="auto" data-summary>
                {#if dense && row.color}<Dot color={row.color} />{/if}{#if row.title && best?.of !== 'title'}<span class="font-medium">{shown(row.title)}</span><span class="soft">{' · '}</span>{/if}{#if best}<Marked excerpt={best} />{:else if row.title}<span class="soft">{summary({ ...row, title: null })}</span>{:else if parts}<span class="font-medium">{parts[0]}</span><span class="soft">{parts[1]}</span>{:else}{summary(row)}{/if}{#if dense}<span class="facts ml-2">{@render second(row)}</span>{/if}
              </p>
              {#if !dense}<p class="facts truncate leading-4.5">
                {#if row.color}<Dot color={row.color} />{/if}
                {@render second(row)}
              </p>{/if}
            {/if}
          </div>
          {#if row.kept && listed !== 'kept'}<Bookmark size={13} class="pinned mt-1 shrink-0 fill-current" aria-label={t('Pinned')} />{:else if unfolded}<span class="w-3.25 shrink-0"></span>{/if}
        </div>
        <div role="gridcell" class="relative shrink-0">
          <time class={['facts figures when block', dense ? 'pt-1.5' : 'pt-2']} datetime={new Date(row.copied_at / 1000).toISOString()} title={moment(row.copied_at / 1000)}>{when}</time>
          {#if !unfolded}
            <button type="button" class={['take touch', { dense }]} tabindex="-1" aria-label={t('Take {number}', { number })} onclick={() => void console.acts.take(id, 'ready')}>{t('Take')}</button>
          {/if}
        </div>
      {:else}
        <div role="gridcell" class="flex grow gap-2.5 pt-2">
          <span class="bg-base-200 size-6 rounded-md"></span>
          <span class="bg-base-200 mt-1 h-3 w-2/5 rounded"></span>
        </div>
      {/if}
    </div>
  </div>
</div>

<style>
  .choose:hover,
  .choose.chosen {
    color: var(--color-primary-content);
    background: var(--color-primary);
    cursor: pointer;
  }
  /* Plain, for there is one in every row. */
  .take {
    visibility: hidden;
    position: absolute;
    top: 0.5rem;
    right: 0;
    height: 2rem;
    padding-inline: 0.75rem;
    border: 1px solid color-mix(in oklch, var(--color-base-content) 25%, transparent);
    border-radius: var(--radius-field);
    background: var(--color-base-100);
    font-size: 0.75rem;
    font-weight: 600;
    cursor: pointer;
  }
  .take.dense {
    top: 0.1875rem;
    height: 1.75rem;
  }
  .take:hover {
    background: var(--color-base-300);
  }
  :global([data-row]:hover) .take,
  :global([data-row]:focus) .take {
    visibility: visible;
  }
  :global([data-row][aria-expanded='false']:hover) .when,
  :global([data-row][aria-expanded='false']:focus) .when {
    visibility: hidden;
  }
  @media (pointer: coarse) {
    .choose {
      margin-top: 0;
    }
    .take {
      visibility: visible;
      position: static;
      margin-top: 0.25rem;
      border-color: transparent;
      background: var(--color-base-200);
    }
    .when {
      display: none;
    }
  }
</style>
