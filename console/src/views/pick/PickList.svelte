<!-- The rows of the picker. All are of one height, so that what stands beside a row's digit is what the digit takes. -->
<script lang="ts">
  import Bookmark from '@lucide/svelte/icons/bookmark';
  import Ellipsis from '@lucide/svelte/icons/ellipsis';

  import type { Console } from '../../state/console.svelte';
  import { MOST } from '../../state/picking/machine';
  import { facts, linkParts, pictureFacts, shortDate, shown, spoken, summary } from '../../state/words';
  import KindSign from '../parts/KindSign.svelte';
  import Picture from '../parts/Picture.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { picking, rows } = $derived(console);
  const now = $derived(picking.now);
  /** In rem, as the rows are. */
  const ROW = 3;
  const today = Date.now();
  let box = $state<HTMLElement>();
  let tall = $state(0);
  const height = $derived((box ? parseFloat(getComputedStyle(document.documentElement).fontSize) : 16) * ROW);

  $effect(() => {
    if (tall > 0) picking.resize(Math.max(1, Math.floor(tall / height)));
  });
  // Keys move the list; a wheel or a finger moves it by itself, and what is marked goes along.
  $effect(() => {
    const wanted = now.top * height;
    if (box && Math.abs(box.scrollTop - wanted) > height / 2) box.scrollTop = wanted;
  });

  function onScroll(): void {
    const top = Math.round((box?.scrollTop ?? 0) / height);
    if (top !== now.top) picking.press({ ask: 'scroll', with: top });
  }
</script>

<div class="min-h-0 grow overflow-y-auto" bind:this={box} bind:clientHeight={tall} onscroll={onScroll} data-picks>
  {#if now.ids.length === 0}
    <p class="soft px-6 pt-10 text-center" data-empty>
      {#if !now.isSettled}&nbsp;{:else if now.query !== ''}{t('Nothing matches. Esc empties the search.')}{:else if now.view === 'favorites'}{t('No favorites yet: pin what you need again and again.')}{:else if now.view === 'drawers'}{t('Nothing is in a drawer yet. In the console, D puts a clip into one.')}{:else}{t('Nothing has been copied yet.')}{/if}
    </p>
  {/if}
  <div id="picks" role="grid" aria-label={now.view === 'favorites' ? t('Favorites') : now.view === 'drawers' ? t('Drawers') : t('History, newest first')} aria-rowcount={now.ids.length} class="px-1.5" aria-busy={!now.isSettled}>
    {#each now.ids as id, at (id)}
      {@const row = rows.get(id)}
      {@const digit = at - now.top + 1}
      {@const near = Math.abs(at - now.top) < 40}
      {@const marked = at === now.mark}
      <!-- svelte-ignore a11y_click_events_have_key_events, a11y_interactive_supports_focus -->
      <div
        role="row"
        id="pick-{id}"
        aria-rowindex={at + 1}
        aria-selected={marked}
        aria-label={row ? `${at + 1} ${spoken(row, shortDate(row.copied_at / 1000, today))}` : `${at + 1}`}
        class={['group rounded-box flex h-12 cursor-default items-center gap-2 border px-1.5', marked ? 'border-secondary/70 bg-base-200 selected' : 'hover:bg-base-200/60 border-transparent']}
        onclick={() => picking.press({ ask: 'take-clip', with: id })}
        data-pick-row={id}
      >
        {#if near}
          <div role="gridcell" class="facts figures w-5 shrink-0 text-right">{digit >= 1 && digit <= 9 && digit <= now.page ? digit : ''}</div>
          {#if row}
            <div role="gridcell" class="flex min-w-0 grow items-center gap-2.5">
              {#if row.kind === 'image'}
                <div class="grid w-16 shrink-0 place-items-center"><Picture {row} most={160} tall={40} /></div>
              {:else}
                <KindSign kind={row.kind} />
              {/if}
              <div class="min-w-0 grow">
                <p class="truncate leading-5" dir="auto" data-words>
                  {#if row.title}<span class="font-medium">{shown(row.title)}</span><span class="soft">{' · '}{summary({ ...row, title: null })}</span>{:else if row.kind === 'image'}{pictureFacts(row)}{:else if row.kind === 'link'}<span class="font-medium">{linkParts(shown(row.head))[0]}</span><span class="soft">{linkParts(shown(row.head))[1]}</span>{:else}{summary(row)}{/if}
                </p>
                <p class="facts truncate leading-4">{#if row.kept?.drawer_name}<span class="text-base-content/80">{row.kept.drawer_name}</span> · {/if}{facts(row).join(' · ')}</p>
              </div>
            </div>
            <div role="gridcell" class="facts figures flex shrink-0 items-center gap-2">{#if row.kept}<Bookmark size={13} class="pinned fill-current" aria-label={t('Pinned')} />{/if}{shortDate(row.copied_at / 1000, today)}</div>
          {/if}
          <div role="gridcell" class="shrink-0">
            <button
              type="button"
              class={['btn btn-ghost btn-square btn-sm touch', { 'opacity-0 group-hover:opacity-100 focus:opacity-100': !marked }]}
              tabindex="-1"
              title={t('Mark it, for what can be done with it')}
              aria-label={t('Mark {at}', { at: at + 1 })}
              onclick={(event) => {
                event.stopPropagation();
                picking.press({ ask: 'mark-clip', with: id });
              }}><Ellipsis size={15} aria-hidden="true" /></button
            >
          </div>
        {/if}
      </div>
    {/each}
  </div>
  {#if now.more && now.ids.length >= MOST}<p class="facts px-4 py-2">{t('These are the first {n}; a few letters find the others.', { n: MOST })}</p>{/if}
</div>
