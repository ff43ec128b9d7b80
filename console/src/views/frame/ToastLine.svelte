<script lang="ts">
  import X from '@lucide/svelte/icons/x';

  import type { Console } from '../../state/console.svelte';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  /** `above`: over what it stands in, and not at the bottom of the window. */
  let { console, above = false }: { console: Console; above?: boolean } = $props();
</script>

{#if console.messages.toast}
  {@const toast = console.messages.toast}
  <div class={['pointer-events-none inset-x-0 z-20 flex justify-center px-3', above ? 'absolute bottom-full mb-2' : 'fixed bottom-20 sm:bottom-5 sm:pl-52']}>
    <div
      class="bg-neutral text-neutral-content pointer-events-auto flex max-w-xl items-center gap-3 rounded-lg py-2 pr-2 pl-3.5 shadow-lg"
      data-toast
      role="region"
      aria-label={t('What was done')}
    >
      <div>
        <p class="line-clamp-3 wrap-anywhere">{toast.text}</p>
        {#if toast.hint}<p class="text-xs opacity-80">{toast.hint}</p>{/if}
      </div>
      {#if toast.act}
        <button class="btn btn-sm btn-ghost touch border-current/40" onclick={() => toast.act?.run()}>
          {toast.act.label} {#if toast.act.key}<KeyHint of={toast.act.key} />{/if}
        </button>
      {/if}
      <button class="btn btn-sm btn-ghost btn-square touch" aria-label={t('Dismiss')} onclick={() => { console.messages.dismiss(); console.focusPage(); }}>
        <X size={14} aria-hidden="true" />
      </button>
    </div>
  </div>
{/if}
