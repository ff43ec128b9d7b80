<!-- The picker: a small window over the program in use. A few letters and a key, or a click, and the clip is where the cursor was. -->
<script lang="ts">
  import SearchIcon from '@lucide/svelte/icons/search';
  import { onMount } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import { Keys } from '../../state/keys.svelte';
  import { askOf } from '../../state/picking/press';
  import { count } from '../../state/words';
  import Editor from '../clip/Editor.svelte';
  import KeyHint from '../parts/KeyHint.svelte';
  import PickActs from './PickActs.svelte';
  import PickList from './PickList.svelte';
  import PickTidy from './PickTidy.svelte';
  import PickWhole from './PickWhole.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { picking } = $derived(console);
  const now = $derived(picking.now);
  const label = $derived(now.tidying ? t('Find a clean-up') : now.view === 'favorites' ? t('Search the favorites') : now.view === 'drawers' ? t('Search the drawers') : t('Search everything you copied'));
  const said = $derived(
    now.tidying
      ? ''
      : picking.problem !== null
        ? ''
        : !now.isSettled
          ? t('looking …')
          : now.query !== ''
            ? `${count(now.ids.length, 'match', 'matches')}${now.more ? t(' or more') : ''}`
            : now.view === 'history'
              ? count(picking.total, 'clip')
              : `${count(now.ids.length, now.view === 'favorites' ? 'favorite' : 'clip')}${now.more ? t(' or more') : ''}`,
  );
  const marked = $derived(now.tidying ? `clean-up-${now.tidying.found()[now.tidying.mark]}` : now.marked !== undefined ? `pick-${now.marked}` : undefined);
  let field = $state<HTMLInputElement>();
  let whole = $state<ReturnType<typeof PickWhole>>();

  onMount(() => field?.focus());

  function onKey(event: KeyboardEvent): void {
    if (console.acts.asking || picking.editing) return;
    const onButton = event.target instanceof HTMLElement && event.target.matches('button, a, [role=option]');
    const command = console.keys.command(event, ...(now.tidying ? (['pick-tidy', 'pick'] as const) : (['pick'] as const)));
    if (!command) return;
    // A button does what it says.
    if (onButton && ['pickTake', 'pickChoose', 'pickRemove'].includes(command)) return;
    // With letters behind the caret, Del is about them.
    if (command === 'pickRemove' && field && (field.selectionStart !== field.value.length || field.selectionEnd !== field.value.length)) return;
    const ask = askOf(command, Keys.digit(event));
    if (!ask) return;
    event.preventDefault();
    event.stopPropagation();
    // The whole of a clip is scrolled by the keys that move in the list.
    if (now.whole !== null && (ask.ask === 'move' || ask.ask === 'page')) return whole?.scroll(ask.ask === 'page', ask.with);
    picking.press(ask);
  }

  function endEdit(): void {
    picking.edited();
    field?.focus();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<main class="bg-base-100 flex min-h-0 min-w-0 grow flex-col" id="page" tabindex="-1" onkeydown={onKey} data-pick>
  <h1 class="sr-only">{t('Picker')}</h1>
  <header class="border-base-300 border-b px-3 pt-2.5 pb-2">
    <div role="search" class="flex flex-wrap items-center gap-2 sm:flex-nowrap">
      <label class={['field flex h-10 min-w-0 grow basis-full sm:basis-0 items-center gap-2 px-3', picking.problem !== null && 'border-error!']}>
        <SearchIcon size={15} aria-hidden="true" class="soft shrink-0" />
        <input
          id="search"
          bind:this={field}
          type="text"
          class="min-w-0 grow bg-transparent text-sm outline-none"
          placeholder={label}
          aria-label={label}
          role="combobox"
          aria-autocomplete="list"
          aria-expanded={now.whole === null && !picking.editing}
          aria-haspopup={now.tidying ? 'listbox' : 'grid'}
          aria-controls={now.tidying ? 'clean-ups' : 'picks'}
          aria-activedescendant={now.whole === null && !picking.editing ? marked : undefined}
          aria-describedby="pick-state"
          autocomplete="off"
          autocapitalize="off"
          spellcheck="false"
          readonly={picking.editing !== null}
          value={picking.text}
          oninput={(event) => picking.press({ ask: 'write', with: event.currentTarget.value })}
        />
      </label>
      <div class={["flex items-center gap-1", { invisible: now.tidying !== null || picking.editing !== null }]} role="group" aria-label={t('What is listed')}>
        {#each [['history', t('History')], ['favorites', t('Favorites')], ['drawers', t('Drawers')]] as const as [view, name] (view)}
          <button type="button" class={['chip touch', { pressed: now.view === view }]} aria-pressed={now.view === view} onclick={() => { picking.press({ ask: 'see', with: view }); field?.focus(); }}>{name}</button>
        {/each}
        <span class="hidden sm:contents"><KeyHint of="pickFavorites" soft /></span>
      </div>
    </div>
    <div class="facts mt-1 flex flex-wrap items-center gap-x-3 px-1">
      <p class="figures grow" id="pick-state" role="status" data-state>{[said, picking.paused ? t('capture is paused') : ''].filter(Boolean).join(' · ') || '\u00a0'}</p>
      {#if picking.byChord}<button type="button" class="link touch" onclick={() => { picking.swap(); field?.focus(); }}>{now.swapped ? t('Enter puts it on the clipboard: change') : t('Enter pastes: change')}</button>{/if}
      <span class="flex items-center gap-1.5"><button type="button" class="link touch" onclick={() => { picking.press({ ask: 'pause' }); field?.focus(); }} data-pause>{picking.paused ? t('Resume') : t('Pause')}</button><KeyHint of="pickPause" soft /></span>
      <span class="flex items-center gap-1.5"><button type="button" class="link touch" aria-pressed={now.stays} onclick={() => { picking.press({ ask: 'stay' }); field?.focus(); }}>{now.stays ? t('Stays open') : t('Closes after a take')}</button><KeyHint of="pickStay" soft /></span>
      <a class="link touch inline-flex items-center" href="#/history" target="_blank" rel="opener">{t('Console')}</a>
      <button type="button" class="link touch" onclick={() => picking.press({ ask: 'close' })}>{t('Close')}</button>
    </div>
  </header>
  {#if picking.problem !== null}<p class="text-error px-4 pt-3" role="alert" data-problem>{picking.problem}</p>{/if}
  {#if picking.editing}
    <div class="min-h-0 grow overflow-y-auto px-4 py-2"><Editor {console} row={picking.editing} onend={endEdit} /></div>
  {:else if now.tidying}
    <PickTidy {picking} tidying={now.tidying} />
  {:else if now.whole !== null}
    <PickWhole bind:this={whole} {console} id={now.whole} />
  {:else}
    <PickList {console} />
  {/if}
  <PickActs {console} onact={() => field?.focus()} />
</main>
