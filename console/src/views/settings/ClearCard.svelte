<!-- Clearing by hand: what shall go is said here, and asked once more with what that is. -->
<script lang="ts">
  import type { Kind, Scope } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  const spans: [number, string][] = $derived([
    [0, t('all of the history')],
    [10, t('the last 10 minutes')],
    [60, t('the last hour')],
    [24 * 60, t('the last day')],
    [7 * 24 * 60, t('the last week')],
  ]);
  const kinds: [Kind | '', string][] = $derived([
    ['', t('every kind')],
    ['text', t('texts')],
    ['link', t('links')],
    ['image', t('pictures')],
    ['files', t('files')],
  ]);
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
  <h2 class="font-semibold" id="clear-title">{t('Clearing')}</h2>
  <p class="facts">{t('What is said together must all hold. It says first what will go, and can be taken back for a while.')}</p>
  <form class="mt-2" onsubmit={(event) => void clear(event)}>
    <div class="grid grid-cols-2 gap-x-4 gap-y-2 md:grid-cols-4">
      <label class="min-w-0">{t('Copied in')}
        <select class="field h-9 w-full" bind:value={minutes} data-span>{#each spans as [value, label] (value)}<option {value}>{label}</option>{/each}</select>
      </label>
      <label class="min-w-0">{t('Of')}
        <select class="field h-9 w-full" bind:value={kind} data-kind>{#each kinds as [value, label] (value)}<option {value}>{label}</option>{/each}</select>
      </label>
      <label class="min-w-0">{t('From the program')}
        <input class="field h-9 w-full" bind:value={program} placeholder={t('any')} autocomplete="off" onkeydown={(event) => event.stopPropagation()} data-program />
      </label>
      <label class="min-w-0">{t('Found by')}
        <input class="field h-9 w-full" bind:value={query} placeholder={t('a search')} autocomplete="off" onkeydown={(event) => event.stopPropagation()} data-query />
      </label>
    </div>
    <div class="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1">
      <label class="touch flex min-h-6 items-center gap-1.5"><input type="checkbox" class="checkbox checkbox-sm" bind:checked={secrets} />{t('only recognised secrets')}</label>
      <label class="touch flex min-h-6 items-center gap-1.5"><input type="checkbox" class="checkbox checkbox-sm" bind:checked={favorites} />{t('favorites too')}</label>
      <label class="touch flex min-h-6 items-center gap-1.5"><input type="checkbox" class="checkbox checkbox-sm" bind:checked={live} />{t('the live clipboard too')}</label>
      <button type="submit" class="btn btn-sm btn-soft text-error touch ml-auto" data-clear-now>{t('Clear…')}</button>
    </div>
  </form>
</section>
