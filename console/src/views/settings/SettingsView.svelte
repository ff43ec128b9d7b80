<!-- What is kept and for how long, what is never kept, what happens by itself; and every other setting. -->
<script lang="ts">
  import { onMount } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import ClearCard from './ClearCard.svelte';
  import LimitsCard from './LimitsCard.svelte';
  import OrdersCard from './OrdersCard.svelte';
  import OtherSettings from './OtherSettings.svelte';
  import RulesCard from './RulesCard.svelte';
  import SecretsCard from './SecretsCard.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  onMount(() => void settings.load());
</script>

<main class="min-h-0 min-w-0 grow overflow-y-auto" id="page" tabindex="-1">
  <div class="mx-auto max-w-4xl px-5 py-6" data-settings>
    <h1 class="text-base font-semibold">{t('Settings')}</h1>
    {#if settings.failure}
      <p class="text-error mt-3" role="alert">{t("They can't be shown now: {failure}.", { failure: settings.failure })}</p>
    {:else if !settings.all}
      <p class="facts mt-2">{t('Reading…')}</p>
    {:else}
      <p class="facts mt-1 wrap-anywhere">{t('Kept in {file}. What is set holds at once, unless it says otherwise.', { file: settings.all.file })}</p>
      {#if settings.all.mistake}<p class="note rounded-box mt-2 px-3 py-2 wrap-anywhere" role="alert" data-mistake>{t('The file has a mistake, so what held before still holds: {mistake}', { mistake: settings.all.mistake })}</p>{/if}
      <div class="mt-5 flex flex-col gap-8">
        <LimitsCard {console} />
        <ClearCard {console} />
        <OrdersCard {console} />
        <RulesCard {console} />
        <SecretsCard {console} />
        <OtherSettings {console} />
      </div>
    {/if}
  </div>
</main>
