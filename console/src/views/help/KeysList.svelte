<!-- The keys of the console, as its one table has them. Those that are single characters can be changed or switched off. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { helpLines, isSingle, KEYS, type Command } from '../../state/keys.svelte';

  let { console }: { console: Console } = $props();
  const { keys } = $derived(console);
  let changing = $state(false);
  let problem = $state('');

  function give(command: Command, text: string): void {
    problem = keys.give(command, text) ?? '';
    if (!problem) console.messages.say(`${KEYS[command].does}: ${keys.shown(command)}`);
  }
</script>

<div class="flex items-center gap-2">
  <h2 class="grow font-semibold">Keys</h2>
  <button type="button" class="btn btn-sm btn-ghost touch" aria-pressed={changing} onclick={() => (changing = !changing)}>{changing ? 'Done' : 'Change keys'}</button>
</div>
<label class="facts touch flex items-center gap-2 py-1">
  <input
    type="checkbox"
    class="checkbox checkbox-sm"
    checked={keys.single}
    onchange={(event) => {
      keys.single = event.currentTarget.checked;
      keys.save();
    }}
  />
  Single letters act, with the focus in a list
</label>
{#if problem}<p class="text-error" role="alert">{problem}</p>{/if}
<dl class="mt-1.5 grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1">
  {#each helpLines() as [command, what] (command)}
    <dt>
      {#if changing && isSingle(command)}
        <input
          class="field h-7 w-12 text-center"
          aria-label="Key for: {what}"
          maxlength="1"
          value={keys.shown(command)}
          onfocus={(event) => event.currentTarget.select()}
          onchange={(event) => {
            give(command, event.currentTarget.value);
            event.currentTarget.value = keys.shown(command);
          }}
        />
      {:else}<kbd class="keycap">{keys.shown(command) || '—'}</kbd>{/if}
    </dt>
    <dd class="facts">{what}</dd>
  {/each}
</dl>
