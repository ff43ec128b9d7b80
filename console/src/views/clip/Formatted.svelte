<!-- Copied html, in a sandboxed frame of its own that can run, load and send nothing. -->
<script lang="ts">
  import type { Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { t } from '../../language/language.svelte';

  let { console, row }: { console: Console; row: Row } = $props();
  // What else is told of the clip loads nothing anew.
  const id = $derived(row.id);
  const path = $derived(console.service.frame(id));
</script>

{#await path}
  <div class="bg-base-200 h-64 rounded-lg"></div>
{:then src}
  <iframe {src} sandbox="" title={t('The formatted form')} class="border-base-300 h-64 w-full rounded-lg border bg-white" data-formatted></iframe>
  <p class="facts mt-1">{t('Shown without scripts, forms and anything from elsewhere.')}</p>
{:catch why}
  <p class="text-error">{t("The formatted form can't be shown: {message}.", { message: why.message })}</p>
{/await}
