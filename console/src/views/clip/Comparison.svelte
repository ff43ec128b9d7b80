<!-- What an edit changed, word by word, and the way back to the original. -->
<script lang="ts">
  import type { Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { t } from '../../language/language.svelte';

  let { console, row }: { console: Console; row: Row } = $props();
  const id = $derived(row.id);
  const compared = $derived(console.service.compare(id));

  async function putBack(): Promise<void> {
    const done = await console.acts.run([row.id], () => console.service.putBack(row.id), () => t('The original is back in its place.'));
    if (!done) return;
    console.selection.panel = null;
    if (done.made) console.selection.await(done.made);
    console.focusPage();
  }
</script>

{#await compared}
  <p class="facts">{t('Reading…')}</p>
{:then found}
  <div class="max-h-[45vh] max-w-[78ch] overflow-y-auto whitespace-pre-wrap break-words" data-compared>
    {#each found.parts as part, n (n)}{#if part.part === 'added'}<ins class="added">{part.text}</ins>{:else if part.part === 'dropped'}<del
          class="dropped">{part.text}</del
        >{:else}{part.text}{/if}{/each}
  </div>
  <div class="mt-2 flex gap-1.5">
    <button type="button" class="btn btn-sm btn-soft" onclick={() => void putBack()}>{t('Put the original back')}</button>
  </div>
{:catch why}
  <p class="text-error">{t("It can't be compared: {message}.", { message: why.message })}</p>
{/await}

<style>
  .added {
    background: color-mix(in oklch, var(--color-success) 18%, transparent);
    text-decoration: none;
    border-bottom: 1.5px solid var(--color-success);
  }
  .dropped {
    color: var(--soft);
    background: color-mix(in oklch, var(--color-error) 10%, transparent);
  }
</style>
