<!-- One clip in the stream: its place, its sign, what it is, where it is from, when. Unfolds in place. -->
<script lang="ts">
  import Bookmark from '@lucide/svelte/icons/bookmark';

  import type { Excerpt, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { PICTURE_ROW, rowHeight } from '../../state/layout';
  import { facts, linkParts, moment, pictureFacts, shortDate, summary, time } from '../../state/words';
  import Dot from '../parts/Dot.svelte';
  import KindSign from '../parts/KindSign.svelte';
  import Marked from '../parts/Marked.svelte';
  import Picture from '../parts/Picture.svelte';
  import Unfolded from '../clip/Unfolded.svelte';

  interface Props {
    console: Console;
    id: string;
    place: number;
    total: number;
    kind: string;
    row: Row | undefined;
    top: number;
    selected: boolean;
    unfolded: boolean;
    excerpts: Excerpt[] | undefined;
    listed: 'history' | 'found';
    chosen: boolean;
    now: number;
    onheight: (height: number) => void;
    onrest: (id: string | null) => void;
  }
  let { console, id, place, total, kind, row, top, selected, unfolded, excerpts, listed, chosen, now, onheight, onrest }: Props = $props();

  const least = $derived(rowHeight(kind));
  const showsPicture = $derived(least === PICTURE_ROW);
  const parts = $derived(row?.kind === 'link' ? linkParts(row.head) : null);
  const best = $derived(excerpts?.find((one) => ['title', 'text', 'file'].includes(one.of)));
  /** A match in what stands in the second line. */
  const other = $derived(best ? undefined : excerpts?.[0]);
  const shownPlace = $derived(listed === 'found' && row ? row.place : place + 1);

  function choose(event: MouseEvent): void {
    event.stopPropagation();
    if (event.shiftKey) console.selection.chooseTo(id);
    else console.selection.choose([id], !chosen);
    console.selection.select(id);
  }

  const label = $derived(row ? `${chosen ? 'chosen, ' : ''}${shownPlace}${unfolded ? ', unfolded' : ''}, ${row.kind === 'image' ? 'picture' : row.kind}: ${summary(row).slice(0, 160)}` : `${shownPlace}`);

  let height = $state(0);
  $effect(() => {
    if (unfolded && height > 0) onheight(height);
  });
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_to_interactive_role, a11y_click_events_have_key_events, a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<article
  class={['rounded-box absolute inset-x-2 sm:inset-x-4', { 'z-1': selected }]}
  style:top="{top}px"
  style:height={unfolded ? undefined : `${least}px`}
  data-id={id}
  aria-posinset={place + 1}
  aria-setsize={total}
  aria-label={label}
  tabindex={selected ? 0 : -1}
  bind:offsetHeight={height}
  onpointerenter={() => onrest(id)}
  onpointerleave={() => onrest(null)}
  onclick={(event) => {
    if (event.target instanceof Element && !event.target.closest('button, a, iframe, pre, [data-words]')) console.selection.toggle(id);
  }}
>
  <div
    class={[
      'rounded-box h-full cursor-default border px-2 sm:px-2.5',
      selected ? 'border-secondary/60 bg-base-200' : chosen ? 'border-base-300 bg-base-200/70' : 'hover:bg-base-200/60 border-transparent',
    ]}
  >
    <div class="flex gap-2.5 pt-2" style:min-height={unfolded ? undefined : `${least - 2}px`}>
      <button
        type="button"
        class={['facts figures choose w-9 shrink-0 self-start rounded-md pr-1 pt-px text-right', { chosen }]}
        tabindex="-1"
        aria-pressed={chosen}
        aria-label="Choose {shownPlace}"
        title="Choose (X); with Shift, up to here"
        onclick={choose}>{chosen ? '✓' : shownPlace}</button
      >
      {#if row}
        <KindSign kind={row.kind} />
        <div class="min-w-0 grow">
          {#if showsPicture && !unfolded}
            <Picture {row} most={400} tall={86} />
            <p class="mt-0.5 truncate leading-5">
              {#if row.kind === 'files' || row.title}{summary(row)} {:else}<span class="facts">{pictureFacts(row)}</span>{/if}
              <span class="facts ml-1">{facts(row).join(' · ')}</span>
            </p>
          {:else if !unfolded}
            <p class="truncate leading-5" data-summary>
              {#if row.title && best?.of !== 'title'}<span class="font-medium">{row.title}</span><span class="soft">{' · '}</span>{/if}{#if best}<Marked excerpt={best} />{:else if row.title}<span class="soft">{summary({ ...row, title: null })}</span>{:else if parts}<span class="font-medium">{parts[0]}</span><span class="soft">{parts[1]}</span>{:else}{summary(row)}{/if}
            </p>
            <p class="facts truncate leading-4.5">
              {#if row.color}<Dot color={row.color} />{/if}
              {#if row.kept?.drawer_name}<span class="text-base-content/80">{row.kept.drawer_name}</span> ·{/if}
              {#if other}<Marked excerpt={other} />{:else}{facts(row).join(' · ')}{/if}
            </p>
          {:else}
            <Unfolded {console} {row} />
          {/if}
        </div>
        {#if row.kept}<Bookmark size={13} class="text-accent mt-1 shrink-0 fill-current" aria-label="Pinned" />{/if}
        <time class="facts figures shrink-0 pt-px" datetime={new Date(row.copied_at / 1000).toISOString()} title={moment(row.copied_at / 1000)}>
          {listed === 'found' ? shortDate(row.copied_at / 1000, now) : time(row.copied_at / 1000)}
        </time>
      {:else}
        <span class="bg-base-200 size-6 rounded-md"></span>
        <span class="bg-base-200 mt-1 h-3 w-2/5 rounded"></span>
      {/if}
    </div>
  </div>
</article>

<style>
  .choose:hover,
  .choose.chosen {
    color: var(--color-primary-content);
    background: var(--color-primary);
    cursor: pointer;
  }
</style>
