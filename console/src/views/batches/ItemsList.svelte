<!-- The items of a batch. One is selected, and what can be done to it stands above them; one can be dragged to its place. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { itemName, itemWords } from '../../state/batches.svelte';
  import { shown } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import KindSign from '../parts/KindSign.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { batches, keys } = $derived(console);
  const batch = $derived(batches.open);
  const { items } = $derived(batches);
  const at = $derived(items.findIndex((item) => item.id === batches.selected));
  const one = $derived(items[at]);
  const handed = $derived(batch?.handed ?? 0);
  let box = $state<HTMLElement>();
  let dragged = $state<number | null>(null);
  let over = $state<number | null>(null);
  /** An item that is dropped by key acts on what was selected when it was pressed. */
  const doings: Partial<Record<string, (id: number) => void>> = {
    take: () => void batches.hand('place', at + 1),
    remove: (id) => void batches.drop(id),
    moveUp: (id) => void batches.move(id, -1),
    moveDown: (id) => void batches.move(id, 1),
  };

  function onKey(event: KeyboardEvent): void {
    const command = keys.command(event, 'batch');
    if (!command) return;
    const steps: Partial<Record<string, number>> = { next: 1, previous: -1, pageDown: 10, pageUp: -10, first: -items.length, last: items.length };
    const step = steps[command];
    if (step !== undefined) {
      batches.step(step);
      document.getElementById(`item-${batches.selected}`)?.scrollIntoView({ block: 'nearest' });
    } else if (one) doings[command]?.(one.id);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function drop(event: DragEvent, before: number | undefined): void {
    event.preventDefault();
    if (dragged !== null && dragged !== before) void batches.put(dragged, before);
    dragged = over = null;
  }
</script>

<div class="bg-base-100 sticky top-0 z-10 flex min-h-10 flex-wrap items-center gap-1 py-1" role="group" aria-label={t('The item that is selected')} data-item-acts>
  {#if one}
    <span class="facts figures mr-1">{t('Item {at}', { at: at + 1 })}</span>
    <button type="button" class="btn btn-sm btn-soft touch px-2" onclick={() => void batches.hand('place', at + 1)}>{t('Hand out')} <KeyHint of="take" /></button>
    <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void batches.hand('from', at + 1)}>{t('Go on from here')}</button>
    <button type="button" class="btn btn-sm btn-ghost touch px-2" disabled={at === 0} onclick={() => void batches.move(one.id, -1)}>{t('Earlier')} <KeyHint of="moveUp" /></button>
    <button type="button" class="btn btn-sm btn-ghost touch px-2" disabled={at === items.length - 1} onclick={() => void batches.move(one.id, 1)}>{t('Later')}</button>
    <button type="button" class="btn btn-sm btn-ghost text-error touch px-2" onclick={() => void batches.drop(one.id)}>{t('Drop')} <KeyHint of="remove" /></button>
  {:else if items.length > 0}
    <span class="facts">{t('Choose an item to hand it out, to move or to drop it.')}</span>
  {/if}
</div>
<div
  bind:this={box}
  class="items rounded-lg"
  role="listbox"
  aria-label={t('Items of the batch')}
  tabindex="0"
  aria-activedescendant={one ? `item-${one.id}` : undefined}
  onkeydown={onKey}
  data-items={items.length}
>
  {#each items as item, n (item.id)}
    {#if (batch?.records ?? 1) > 1 && item.field === 1}
      <div role="presentation" class="facts border-base-300 mt-2 border-t px-2 pt-1.5 pb-0.5 font-medium first:mt-0 first:border-t-0">{t('Record {record}', { record: item.record })}</div>
    {/if}
    <!-- svelte-ignore a11y_click_events_have_key_events -->
    <div
      id="item-{item.id}"
      role="option"
      tabindex="-1"
      aria-selected={item.id === batches.selected}
      aria-posinset={n + 1}
      aria-setsize={items.length}
      aria-label="{n + 1}, {itemName(item).slice(0, 160)}{n < handed ? ', handed out' : n === handed ? ', next' : ''}"
      class={['item flex items-center gap-2.5 rounded-lg px-2 py-1', { marked: item.id === batches.selected, 'drop-before': over === item.id }]}
      draggable="true"
      onclick={() => { batches.selected = item.id; box?.focus({ preventScroll: true }); }}
      ondragstart={() => (dragged = item.id)}
      ondragend={() => (dragged = over = null)}
      ondragenter={() => dragged !== null && (over = item.id)}
      ondragover={(event) => dragged !== null && event.preventDefault()}
      ondrop={(event) => drop(event, item.id)}
      data-item={item.id}
    >
      <span class={['figures w-7 shrink-0 text-right', n === handed ? 'text-primary font-semibold' : 'soft']}>{n + 1}</span>
      <KindSign kind={item.kind} />
      <span class={['min-w-0 grow truncate', n < handed && 'soft']} dir="auto">
        {#if item.label}<span class="facts">{shown(item.label)}</span>{' '}{/if}{itemWords(item)}
      </span>
      {#if n === handed}<span class="text-primary shrink-0 text-xs font-medium">{t('next')}</span>{:else if n < handed}<span class="facts shrink-0">{t('handed out')}</span>{/if}
    </div>
  {/each}
  {#if dragged !== null}
    <div role="presentation" class={['facts rounded-lg px-2 py-2', { 'drop-here': over === -1 }]} ondragenter={() => (over = -1)} ondragover={(event) => event.preventDefault()} ondrop={(event) => drop(event, undefined)}>{t('To the end')}</div>
  {/if}
</div>

<style>
  .item {
    min-height: 2rem;
    content-visibility: auto;
    contain-intrinsic-size: auto 2rem;
  }
  .item:hover {
    background: var(--color-base-200);
  }
  .marked {
    background: color-mix(in oklch, var(--color-primary) 14%, var(--color-base-100));
  }
  @media (pointer: coarse) {
    .item {
      min-height: 2.75rem;
    }
  }
</style>
