<!-- Choosing a drawer for some clips: by typing, by keys, by pointer; a new one is made on the way. -->
<script lang="ts">
  import { onMount } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys';
  import Dot from '../parts/Dot.svelte';

  let { console, ids, onend }: { console: Console; ids: string[]; onend: () => void } = $props();
  let text = $state('');
  let at = $state(0);
  let field = $state<HTMLInputElement>();
  const found = $derived(console.kept.called(text).slice(0, 12));
  const isNew = $derived(text.trim() !== '' && !console.kept.drawers.some((one) => one.name.toLowerCase() === text.trim().toLowerCase()));
  const count = $derived(found.length + (isNew ? 1 : 0));

  onMount(() => field?.focus());

  async function choose(n: number): Promise<void> {
    const one = found[n];
    let target = one ? { id: one.id, name: one.name } : null;
    if (!target && isNew) {
      const name = text.trim();
      const made = await console.acts.run(console.service.newDrawer(name, null, null), () => `Made the drawer ${name}.`);
      if (made?.made) target = { id: made.made, name };
    }
    if (target && (await console.acts.put(ids, target.id, target.name))) onend();
  }

  function onKey(event: KeyboardEvent): void {
    event.stopPropagation();
    const acts: Partial<Record<Command, () => void>> = {
      next: () => (at = Math.max(0, Math.min(count - 1, at + 1))),
      previous: () => (at = Math.max(0, at - 1)),
      confirm: () => void choose(at),
      leave: onend,
    };
    const command = console.keys.command(event, 'picker');
    const act = command && acts[command];
    if (act) {
      event.preventDefault();
      act();
    }
  }
</script>

<div class="bg-base-100 border-base-300 rounded-field mt-2 max-w-md border p-2" data-picker>
  <input
    bind:this={field}
    bind:value={text}
    oninput={() => (at = 0)}
    onkeydown={onKey}
    class="border-base-300 h-8 w-full rounded-md border bg-transparent px-2"
    placeholder="Which drawer? Type its name"
    aria-label="Which drawer"
    role="combobox"
    aria-expanded="true"
    aria-controls="drawer-choices"
    aria-activedescendant={count > 0 ? `drawer-choice-${at}` : undefined}
  />
  <ul id="drawer-choices" role="listbox" aria-label="Drawers" class="mt-1 max-h-56 overflow-y-auto">
    {#each found as one, n (one.id)}
      <li id="drawer-choice-{n}" role="option" aria-selected={at === n}>
        <button
          type="button"
          tabindex="-1"
          class={['flex w-full items-center gap-2 rounded-md px-2 py-1 text-left', at === n && 'bg-base-200']}
          onpointerenter={() => (at = n)}
          onclick={() => void choose(n)}
        >
          <Dot color={one.color} /><span class="truncate">{one.name}</span>
          {#if one.group}<span class="facts truncate">{one.group}</span>{/if}
          <span class="facts figures ml-auto">{one.clips}</span>
        </button>
      </li>
    {/each}
    {#if isNew}
      <li id="drawer-choice-{found.length}" role="option" aria-selected={at === found.length}>
        <button
          type="button"
          tabindex="-1"
          class={['flex w-full items-center gap-2 rounded-md px-2 py-1 text-left', at === found.length && 'bg-base-200']}
          onclick={() => void choose(found.length)}>New drawer “{text.trim()}”</button
        >
      </li>
    {/if}
    {#if count === 0}<li class="facts px-2 py-1">There is no drawer yet. Type a name to make one.</li>{/if}
  </ul>
</div>
