<!-- On a phone: what is typed or chosen here comes into the history. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { phone } = $derived(console);

  function add(event: SubmitEvent): void {
    event.preventDefault();
    void phone.addText();
  }

  function chosen(event: Event & { currentTarget: HTMLInputElement }): void {
    void phone.addFiles(event.currentTarget.files ?? []);
    event.currentTarget.value = '';
  }
</script>

{#if phone.adding}
  <div class="bg-base-100 border-base-content/20 fixed inset-x-2 bottom-2 z-40 mx-auto max-w-lg rounded-xl border p-4 shadow-2xl" role="dialog" aria-label={t('Add to the history')} data-add>
    <h2 class="font-semibold" id="add-title">{t('Add to the history')}</h2>
    <form class="mt-2" onsubmit={add}>
      <textarea class="field w-full px-2.5 py-1.5 text-base" rows="4" bind:value={phone.text} aria-labelledby="add-title" placeholder={t('A text or a link')} onkeydown={(event) => event.stopPropagation()}></textarea>
      <div class="mt-2 flex flex-wrap items-center gap-2">
        <button type="submit" class="btn btn-primary touch" disabled={phone.busy || phone.text.trim() === ''}>{t('Add')}</button>
        <label class="btn btn-soft touch relative">
          {t('A picture')}<input type="file" class="sr-only" accept="image/*" multiple disabled={phone.busy} onchange={chosen} />
        </label>
        <button type="button" class="btn btn-ghost touch ml-auto" onclick={() => (phone.adding = false)}>{t('Close')}</button>
      </div>
    </form>
  </div>
{/if}
