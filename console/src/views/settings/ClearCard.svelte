<!-- Clearing by hand: what shall go is said here, and asked once more with what that is. -->
<script lang="ts">
  import type { Kind, Scope } from '../../api/types';
  import type { Console } from '../../state/console.svelte';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  const spans: [number, string][] = [
    [0, 'all of the history'],
    [10, 'the last 10 minutes'],
    [60, 'the last hour'],
    [24 * 60, 'the last day'],
    [7 * 24 * 60, 'the last week'],
  ];
  const kinds: [Kind | '', string][] = [
    ['', 'every kind'],
    ['text', 'texts'],
    ['link', 'links'],
    ['image', 'pictures'],
    ['files', 'files'],
  ];
  let minutes = $state(0);
  let kind = $state<Kind | ''>('');
  let program = $state('');
  let query = $state('');
  let secrets = $state(false);
  let favorites = $state(false);
  let live = $state(false);

  async function clear(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const scope: Scope = {
      ...(kind ? { kind } : {}),
      ...(program.trim() ? { program: program.trim() } : {}),
      ...(minutes > 0 ? { since: Math.round((Date.now() - minutes * 60_000) * 1000) } : {}),
      ...(query.trim() ? { query: query.trim() } : {}),
      ...(secrets ? { secrets } : {}),
      ...(favorites ? { favorites } : {}),
    };
    await settings.clear(scope, live);
  }
</script>

<section aria-labelledby="clear-title" data-clear>
  <h2 class="font-semibold" id="clear-title">Clearing</h2>
  <p class="facts">What is said together must all hold. It says first what will go, and can be taken back for a while.</p>
  <form class="mt-2" onsubmit={(event) => void clear(event)}>
    <div class="grid grid-cols-2 gap-x-4 gap-y-2 md:grid-cols-4">
      <label class="min-w-0">Copied in
        <select class="field h-9 w-full" bind:value={minutes} data-span>{#each spans as [value, label] (value)}<option {value}>{label}</option>{/each}</select>
      </label>
      <label class="min-w-0">Of
        <select class="field h-9 w-full" bind:value={kind} data-kind>{#each kinds as [value, label] (value)}<option {value}>{label}</option>{/each}</select>
      </label>
      <label class="min-w-0">From the program
        <input class="field h-9 w-full" bind:value={program} placeholder="any" autocomplete="off" onkeydown={(event) => event.stopPropagation()} data-program />
      </label>
      <label class="min-w-0">Found by
        <input class="field h-9 w-full" bind:value={query} placeholder="a search" autocomplete="off" onkeydown={(event) => event.stopPropagation()} data-query />
      </label>
    </div>
    <div class="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1">
      <label class="touch flex min-h-6 items-center gap-1.5"><input type="checkbox" class="checkbox checkbox-sm" bind:checked={secrets} />only recognised secrets</label>
      <label class="touch flex min-h-6 items-center gap-1.5"><input type="checkbox" class="checkbox checkbox-sm" bind:checked={favorites} />favorites too</label>
      <label class="touch flex min-h-6 items-center gap-1.5"><input type="checkbox" class="checkbox checkbox-sm" bind:checked={live} />the live clipboard too</label>
      <button type="submit" class="btn btn-sm btn-soft text-error touch ml-auto" data-clear-now>Clear…</button>
    </div>
  </form>
</section>
