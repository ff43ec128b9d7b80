<!-- The search field, always one key away, with completions and kinds beneath it. It searches the place that is open. -->
<script lang="ts">
  import SearchIcon from '@lucide/svelte/icons/search';
  import X from '@lucide/svelte/icons/x';
  import { tick } from 'svelte';

  import type { Completion } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys.svelte';
  import { completed, kindOf } from '../../state/query';
  import { count } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  interface Props {
    console: Console;
    /** A move in the list; `focus`: the focus goes along. */
    onmove: (command: Command, focus: boolean) => void;
    /** What waits is to be shown. */
    onshow: () => void;
  }
  let { console, onmove, onshow }: Props = $props();
  const { search, sight, selection, acts } = $derived(console);
  const inHistory = $derived(console.place.view === 'history');
  const kind = $derived(kindOf(search.text));
  const kinds: [string | null, string][] = $derived([
    [null, t('All')],
    ['text', t('Text')],
    ['link', t('Links')],
    ['image', t('Images')],
    ['files', t('Files')],
  ]);
  const asks = $derived(inHistory ? t('Search everything you copied') : t('Search in {pageName}', { pageName: console.pageName }));
  let field = $state<HTMLInputElement>();
  let focused = $state(false);
  const completions = $derived(focused ? search.completions.slice(0, 8) : []);
  const marked = $derived(search.active && selection.selected !== null && sight.has(selection.selected) ? `row-${selection.selected}` : undefined);

  async function accept(one: Completion): Promise<void> {
    const [text, cursor] = completed(search.text, one);
    search.type(text, cursor);
    await tick();
    field?.focus();
    field?.setSelectionRange(cursor, cursor);
  }

  function leave(): void {
    console.messages.dismiss();
    if (search.active) search.clear();
    else console.focusPage();
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    const first = completions[0];
    const command = console.keys.command(event, 'search');
    const doings: Partial<Record<Command, () => void>> = {
      take: () => search.active && void acts.takeFound('ready'),
      takePlain: () => search.active && void acts.takeFound('plain'),
      leave,
    };
    for (const move of ['next', 'previous', 'pageDown', 'pageUp'] as const) doings[move] = () => onmove(move, !search.active);
    if (first) doings.complete = () => void accept(first);
    const doing = command && doings[command];
    if (!doing) return;
    event.preventDefault();
    doing();
  }

  const status = $derived.by(() => {
    if (!search.active || search.error) return '';
    if (search.count !== null) return count(search.count, 'match', 'matches');
    return search.more ? t('50+ matches') : '';
  });

  const waiting = $derived(
    search.active
      ? t('{matches}: show', { matches: count(search.fresh || sight.waiting.size, 'new match', 'new matches') })
      : inHistory
        ? t('{copies} above', { copies: count(sight.waiting.size, 'new copy', 'new copies') })
        : t('{changes}: show', { changes: count(sight.waiting.size, 'change') }),
  );
</script>

<header class="header border-base-300 border-b px-3 pt-3 pb-2 sm:px-6.5">
  <div class="mx-auto max-w-4xl sm:pr-2 sm:pl-4.5">
    <div role="search" class="flex items-center gap-2">
      <label class={['search-frame field flex h-10 min-w-0 grow items-center gap-2 px-3', search.error && 'border-error!']}>
        <SearchIcon size={15} aria-hidden="true" class="soft shrink-0" />
        <input
          id="search"
          bind:this={field}
          type="text"
          class="min-w-0 grow bg-transparent text-sm outline-none"
          placeholder={asks}
          aria-label={asks}
          aria-invalid={search.error !== null}
          aria-describedby="search-said"
          role="combobox"
          aria-autocomplete="list"
          aria-expanded={search.active}
          aria-haspopup="grid"
          aria-controls="list"
          aria-activedescendant={marked}
          autocomplete="off"
          autocapitalize="off"
          spellcheck="false"
          value={search.text}
          oninput={(event) => search.type(event.currentTarget.value, event.currentTarget.selectionStart ?? undefined)}
          onkeydown={onKey}
          onfocus={() => (focused = true)}
          onblur={() => (focused = false)}
        />
        {#if search.active}
          <button type="button" class="btn btn-sm btn-ghost btn-square touch -mr-2" aria-label={t('Clear the search')} onclick={() => { search.clear(); field?.focus(); }}>
            <X size={14} aria-hidden="true" />
          </button>
        {:else}
          <KeyHint of="toSearch" soft />
        {/if}
      </label>
    </div>
    <div class="under facts mt-2 flex min-h-6 items-center gap-x-1.5 overflow-x-auto">
      <p id="search-said" class={['text-error', { hidden: !search.error }]} role="status">
        {#if search.error}
          {search.error.words.charAt(0).toUpperCase() + search.error.words.slice(1)}{t('.')}{#if search.error.at}{' '}{t('See “{where}”.', { where: [...search.text].slice(...search.error.at).join('') || '…' })}{/if}
        {/if}
      </p>
      {#if completions.length > 0}
        <span class="flex shrink-0 items-center gap-1" role="group" aria-label={t('Ways to go on')} data-completions>
          {#each completions as one, n (one.insert)}
            <button
              type="button"
              class="chip"
              title={one.meaning ? `${one.insert} ${one.meaning}` : undefined}
              onpointerdown={(event) => {
                event.preventDefault();
                void accept(one);
              }}
              tabindex="-1"
              >{one.insert.trim()}{#if n === 0}<span class="ml-1.5"><KeyHint of="complete" /></span>{/if}</button
            >
          {/each}
          {#if completions[0]?.meaning}<span class="hidden truncate md:inline">{completions[0].meaning}</span>{/if}
        </span>
      {:else if !search.error}
        <span class="flex shrink-0 items-center gap-1" role="group" aria-label={t('Kind')}>
          {#each kinds as [name, label] (label)}
            <button type="button" class={['chip', { pressed: kind === name }]} aria-pressed={kind === name} onclick={() => search.setKind(name)}>{label}</button>
          {/each}
        </span>
      {/if}
      <!-- Here it covers nothing that one may be about to click, and moves nothing. -->
      {#if sight.waiting.size > 0 || search.fresh > 0}
        <button type="button" class="waiting chip sticky right-0 ml-auto shrink-0" onclick={onshow} data-unseen>{waiting}</button>
      {/if}
      <span class="figures ml-auto flex shrink-0 items-center gap-2 whitespace-nowrap">
        <span role="status" data-count>{status}</span>
        {#if search.active && sight.now.ids.length > 1 && search.shownFor === search.text && !search.nearest}
          <button type="button" class="link touch" onclick={() => { selection.choose(sight.now.ids, true); console.focusPage(); }}
            >{sight.now.ids.length === (search.count ?? sight.now.ids.length) ? t('choose all') : t('choose {ids}', { ids: sight.now.ids.length.toLocaleString('en') })}</button
          >
        {/if}
        {#if inHistory}
          <button
            type="button"
            class="link touch max-sm:hidden"
            onclick={() => console.showHistory(console.prefs.order === 'newest' ? 'oldest' : 'newest', console.prefs.most)}
            title={t('Turn the order round')}
            data-order={console.prefs.order}>{console.prefs.order === 'newest' ? t('Newest first') : t('Oldest first')}</button
          >
          <label class="flex items-center gap-1 max-sm:hidden">
            <span class="sr-only">{t('How many are shown')}</span>
            <select
              class="bg-base-100 touch h-6 cursor-pointer appearance-none rounded-sm text-right underline underline-offset-2 [field-sizing:content]"
              value={console.prefs.most}
              onchange={(event) => console.showHistory(console.prefs.order, Number(event.currentTarget.value))}
            >
              {#each console.prefs.choices as [most, label] (most)}<option value={most}>{t('show {label}', { label: t(label) })}</option>{/each}
            </select>
          </label>
        {/if}
      </span>
    </div>
    {#if search.active && search.nearest}
      <p class="mt-1" role="status" data-nearest>{t('Nothing holds all of that. These come nearest.')}</p>
    {/if}
    {#if search.active && search.unread > 0}
      <p class="facts">{t('{texts} still being read; they may match as well.', { texts: count(search.unread, 'long text') })}</p>
    {/if}
  </div>
</header>
