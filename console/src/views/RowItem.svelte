<!-- One clip in the stream: its place, its sign, what it is, where it is from, when. Unfolds in place. -->
<script lang="ts">
  import type { Row } from '../api/types';
  import type { Console } from '../state/console.svelte';
  import { PICTURE_ROW, rowHeight } from '../state/layout';
  import { facts, linkParts, moment, pictureFacts, summary, time } from '../state/words';
  import KindSign from './KindSign.svelte';
  import Picture from './Picture.svelte';
  import Unfolded from './Unfolded.svelte';

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
    onheight: (height: number) => void;
    onrest: (id: string | null) => void;
  }
  let { console, id, place, total, kind, row, top, selected, unfolded, onheight, onrest }: Props = $props();

  const least = $derived(rowHeight(kind));
  const showsPicture = $derived(least === PICTURE_ROW);
  const parts = $derived(row?.kind === 'link' ? linkParts(row.head) : null);
  const label = $derived(row ? `${place + 1}${unfolded ? ', unfolded' : ''}, ${row.kind === 'image' ? 'picture' : row.kind}: ${summary(row).slice(0, 160)}` : `${place + 1}`);

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
    if (event.target instanceof Element && !event.target.closest('button, a, iframe, pre, [data-words]')) console.history.toggle(id);
  }}
>
  <div
    class={[
      'rounded-box h-full cursor-default border px-2 sm:px-2.5',
      selected ? 'border-secondary/60 bg-base-200' : 'hover:bg-base-200/60 border-transparent',
    ]}
  >
    <div class="flex gap-2.5 pt-2" style:min-height={unfolded ? undefined : `${least - 2}px`}>
      <span class="facts figures w-8 shrink-0 pt-px text-right">{place + 1}</span>
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
              {#if parts}<span class="font-medium">{parts[0]}</span><span class="soft">{parts[1]}</span>{:else}{summary(row)}{/if}
            </p>
            <p class="facts truncate leading-4.5">{facts(row).join(' · ')}</p>
          {:else}
            <Unfolded {console} {row} />
          {/if}
        </div>
        <time class="facts figures shrink-0 pt-px" datetime={new Date(row.copied_at / 1000).toISOString()} title={moment(row.copied_at / 1000)}>
          {time(row.copied_at / 1000)}
        </time>
      {:else}
        <span class="bg-base-200 size-6 rounded-md"></span>
        <span class="bg-base-200 mt-1 h-3 w-2/5 rounded"></span>
      {/if}
    </div>
  </div>
</article>
