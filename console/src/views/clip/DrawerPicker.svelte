<!-- Choosing a drawer: by typing, by keys, by pointer; a new one can be made on the way. The drawers are those that there
     were when it was opened or typed in: what changes elsewhere moves none of them. -->
<script lang="ts">
  import { onMount, untrack } from 'svelte';

  import type { Drawer } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys.svelte';
  import { shown } from '../../state/words';
  import Dot from '../parts/Dot.svelte';
  import { counted, t } from '../../language/language.svelte';

  interface Props {
    console: Console;
    label: string;
    /** True when it was done. */
    onpick: (drawer: string, name: string) => Promise<boolean>;
    onend: () => void;
  }
  let { console, label, onpick, onend }: Props = $props();
  const MOST = 60;
  const uid = $props.id();
  let text = $state('');
  let at = $state(0);
  let field = $state<HTMLInputElement>();
  let box = $state<HTMLElement>();
  let among = $state.raw<Drawer[]>(untrack(() => console.drawers.all));
  const found = $derived(console.drawers.called(text, among));
  const listed = $derived(found.slice(0, MOST));
  const isNew = $derived(text.trim() !== '' && !among.some((one) => one.name.toLowerCase() === text.trim().toLowerCase()));
  const count = $derived(listed.length + (isNew ? 1 : 0));

  onMount(() => field?.focus());
  $effect(() => {
    box?.querySelector(`#${uid}-${at}`)?.scrollIntoView({ block: 'nearest' });
  });

  function typed(): void {
    among = console.drawers.all;
    at = 0;
  }

  async function choose(n: number): Promise<void> {
    const one = listed[n];
    const name = text.trim();
    if (one) return void (await onpick(one.id, one.name));
    if (!isNew || n !== listed.length) return;
    const made = await console.acts.run([], () => console.service.newDrawer(name, null, null), () => t('Made the drawer {name}.', { name }));
    if (made?.made) await onpick(made.made, name);
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    const go = (by: number) => () => (at = Math.max(0, Math.min(count - 1, at + by)));
    const doings: Partial<Record<Command, () => void>> = {
      next: go(1),
      previous: go(-1),
      pageDown: go(8),
      pageUp: go(-8),
      confirm: () => void choose(at),
      leave: onend,
    };
    const command = console.keys.command(event, 'picker');
    const doing = command && doings[command];
    if (!doing) return;
    event.preventDefault();
    doing();
  }
</script>

{#snippet option(n: number, words: string, one: Drawer | null)}
  <!-- svelte-ignore a11y_click_events_have_key_events -->
  <li
    id="{uid}-{n}"
    role="option"
    aria-selected={at === n}
    class={['touch flex cursor-pointer items-center gap-2 rounded-md px-2 py-1', at === n && 'marked bg-base-200']}
    onpointermove={() => (at = n)}
    onclick={() => void choose(n)}
  >
    {#if one}<Dot color={one.color} />{/if}
    <span class="truncate">{words}</span>
    {#if one?.group}<span class="facts truncate">{shown(one.group)}</span>{/if}
    {#if one}<span class="facts figures ml-auto">{one.clips}</span>{/if}
  </li>
{/snippet}

<div class="bg-base-100 border-base-300 rounded-field mt-2 max-w-md border p-2" data-picker>
  <input
    bind:this={field}
    bind:value={text}
    oninput={typed}
    onkeydown={onKey}
    class="field h-8 w-full"
    placeholder={t('Which drawer? Type its name')}
    aria-label={label}
    role="combobox"
    aria-expanded="true"
    aria-autocomplete="list"
    aria-controls="{uid}-choices"
    aria-activedescendant={count > 0 ? `${uid}-${at}` : undefined}
    autocomplete="off"
  />
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <ul id="{uid}-choices" role="listbox" aria-label={t('Drawers')} class="mt-1 max-h-56 overflow-y-auto" bind:this={box} tabindex="-1">
    {#each listed as one, n (one.id)}{@render option(n, shown(one.name), one)}{/each}
    {#if isNew}{@render option(listed.length, t('New drawer “{text}”', { text: text.trim() }), null)}{/if}
  </ul>
  <p class="facts px-2 pt-1" role="status">
    {#if count === 0}{t('There is no drawer yet. Type a name to make one.')}
    {:else if found.length > listed.length}{t('{found}: type to find them.', { found: counted(found.length - listed.length, '{n} more drawer', '{n} more drawers') })}
    {:else}{counted(found.length, '{n} drawer', '{n} drawers')}{/if}
  </p>
</div>
