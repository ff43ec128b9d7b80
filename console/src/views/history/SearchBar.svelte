<!-- The search field, always one key away, with completions and kinds beneath it. -->
<script lang="ts">
  import SearchIcon from '@lucide/svelte/icons/search';
  import X from '@lucide/svelte/icons/x';
  import { tick } from 'svelte';

  import type { Completion } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys';
  import { MOST } from '../../state/prefs.svelte';
  import { completed, kindOf } from '../../state/query';
  import { count } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';

  let { console }: { console: Console } = $props();
  const search = $derived(console.search);
  const { list, selection } = $derived(console);
  const kind = $derived(kindOf(search.text));
  const kinds: [string | null, string][] = [
    [null, 'All'],
    ['text', 'Text'],
    ['link', 'Links'],
    ['image', 'Images'],
    ['files', 'Files'],
  ];
  let field = $state<HTMLInputElement>();
  let focused = $state(false);
  const completions = $derived(focused ? search.completions.slice(0, 8) : []);

  async function accept(one: Completion): Promise<void> {
    const [text, cursor] = completed(search.text, one);
    search.type(text, cursor);
    await tick();
    field?.focus();
    field?.setSelectionRange(cursor, cursor);
  }

  /** From the field into what was found; the first one is chosen already. */
  function move(by: number): void {
    if (!search.active || selection.selected) selection.step(by);
    document.dispatchEvent(new CustomEvent('yadori-follow', { detail: { focus: !search.active } }));
  }

  function leave(): void {
    if (search.active) search.clear();
    else document.getElementById('stream')?.focus();
  }

  function onKey(event: KeyboardEvent): void {
    if (event.isComposing) return;
    const first = completions[0];
    const acts: Partial<Record<Command, () => void>> = {
      next: () => move(1),
      previous: () => move(-1),
      take: () => search.active && void console.acts.takeFound('ready'),
      takeFoundPlain: () => search.active && void console.acts.takeFound('plain'),
      leave,
    };
    if (first) acts.complete = () => void accept(first);
    const command = console.keys.command(event, 'search');
    const act = command && acts[command];
    if (act) {
      event.preventDefault();
      act();
    }
  }

  const status = $derived.by(() => {
    if (!search.active) return '';
    if (search.error) return '';
    if (search.count !== null) return count(search.count, 'match', 'matches');
    return search.more ? '50+ matches' : '';
  });

  function save(change: () => void): void {
    change();
    console.prefs.save();
  }
</script>

<header class="border-base-300 border-b px-4 pt-3 pb-2 sm:px-6.5">
  <div class="mx-auto max-w-4xl sm:pr-2 sm:pl-4.5">
    <div role="search" class="flex items-center gap-2">
      <label
        class={[
          'bg-base-200/60 border-base-content/25 flex h-10 min-w-0 grow items-center gap-2 rounded-lg border px-3 focus-within:border-primary focus-within:bg-base-100',
          search.error && 'border-error!',
        ]}
      >
        <SearchIcon size={15} aria-hidden="true" class="soft shrink-0" />
        <input
          id="search"
          bind:this={field}
          type="text"
          class="min-w-0 grow bg-transparent text-[14px] outline-none"
          placeholder="Search everything you copied"
          aria-label="Search everything you copied"
          aria-invalid={search.error !== null}
          aria-describedby="search-said"
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
          <button type="button" class="btn btn-xs btn-ghost btn-square" aria-label="Clear the search" onclick={() => search.clear()}>
            <X size={14} aria-hidden="true" />
          </button>
        {:else}
          <KeyHint of="toSearch" soft />
        {/if}
      </label>
    </div>
    <div id="search-said" class="facts mt-2 flex min-h-6 flex-wrap items-center gap-x-1.5 gap-y-1" aria-live="polite">
      {#if search.error}
        <p class="text-error">
          {search.error.words.charAt(0).toUpperCase() + search.error.words.slice(1)}.{#if search.error.at}{' '}See “{[...search.text].slice(...search.error.at).join('') || '…'}”.{/if}
        </p>
      {/if}
      {#if completions.length > 0}
        <span class="flex flex-wrap items-center gap-1" role="group" aria-label="Ways to go on" data-completions>
          {#each completions as one, n (one.insert)}
            <button
              type="button"
              class="bg-base-200 hover:bg-base-300 text-base-content rounded-md px-2 py-0.5"
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
        <span class="flex items-center gap-1" role="group" aria-label="Kind">
          {#each kinds as [name, label] (label)}
            <button
              type="button"
              class={[
                'rounded-full px-2.5 py-0.5 leading-5',
                kind === name ? 'bg-primary text-primary-content font-medium' : 'bg-base-200 hover:bg-base-300 text-base-content',
              ]}
              aria-pressed={kind === name}
              onclick={() => search.setKind(name)}>{label}</button
            >
          {/each}
        </span>
      {/if}
      <span class="figures ml-auto flex items-center gap-2 whitespace-nowrap">
        <span data-count>{status}</span>
        {#if search.active && (list.results?.ids.length ?? 0) > 1}
          <button type="button" class="hover:text-base-content underline underline-offset-2" onclick={() => selection.choose(list.shown.ids, true)}
            >{list.shown.ids.length === (search.count ?? list.shown.ids.length) ? 'choose all' : `choose ${list.shown.ids.length.toLocaleString('en')}`}</button
          >
        {/if}
        <button
          type="button"
          class="hover:text-base-content hidden underline underline-offset-2 sm:inline"
          onclick={() => save(() => (console.prefs.order = console.prefs.order === 'newest' ? 'oldest' : 'newest'))}
          title="Turn the order round"
          data-order={console.prefs.order}>{console.prefs.order === 'newest' ? 'Newest first' : 'Oldest first'}</button
        >
        <label class="hidden items-center gap-1 sm:flex">
          <span class="sr-only">How many are shown</span>
          <select
            class="bg-base-100 hover:text-base-content cursor-pointer appearance-none rounded-sm text-right underline underline-offset-2 [field-sizing:content]"
            aria-label="How many are shown"
            value={console.prefs.most}
            onchange={(event) => save(() => (console.prefs.most = Number(event.currentTarget.value)))}
          >
            {#each MOST as [most, label] (most)}<option value={most}>show {label}</option>{/each}
          </select>
        </label>
      </span>
    </div>
    {#if search.active && search.unread > 0}
      <p class="facts">{count(search.unread, 'long text')} still being read; they may match as well.</p>
    {/if}
  </div>
</header>
