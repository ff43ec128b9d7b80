<!-- Recognised secrets: which, and for how long they are held. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { inField, ofField } from '../../state/settings.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  const recognisers = $derived(settings.rules?.recognisers ?? []);
  let typed = $state<string | null>(null);

  async function turn(kind: string, on: boolean): Promise<void> {
    const off = recognisers.filter((one) => (one.kind === kind ? !on : !one.on)).map((one) => one.kind);
    await settings.set({ 'secrets.off': off.length > 0 ? off : null }, on ? t('It is recognised from now on.') : t('It is not recognised any more.'));
  }

  async function set(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (await settings.set({ 'secrets.minutes': ofField(typed ?? '') }, t('Set.'))) typed = null;
  }
</script>

<section aria-labelledby="secrets-title" data-secrets>
  <h2 class="font-semibold" id="secrets-title">{t('Secrets')}</h2>
  <p class="facts">{t('What is recognised as one of these is held in memory alone, masked, and is gone after its time. It is never written down, sent or exported; only pinning records it.')}</p>
  <div class="mt-2 flex flex-wrap gap-1.5" role="group" aria-label={t('What is recognised')}>
    {#each recognisers as one (one.kind)}
      <button type="button" class={['chip touch', { pressed: one.on }]} aria-pressed={one.on} onclick={() => void turn(one.kind, !one.on)}>{one.name}</button>
    {/each}
  </div>
  <form class="mt-2 flex flex-wrap items-end gap-2" onsubmit={(event) => void set(event)}>
    <label>{t('Held for so many minutes')}
      <input class="field h-9 w-28 block" value={typed ?? inField(settings.named('secrets.minutes')?.value)} oninput={(event) => (typed = event.currentTarget.value)} autocomplete="off" onkeydown={(event) => event.stopPropagation()} data-setting="secrets.minutes" />
    </label>
    <button type="submit" class="btn btn-sm btn-soft touch h-9" disabled={typed === null}>{t('Set')}</button>
  </form>
</section>
