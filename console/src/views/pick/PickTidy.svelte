<!-- Clean-ups for what is marked: one is found by letters, several are chosen with Space; what becomes of the text stands beside. -->
<script lang="ts">
  import { TIDY } from '../../state/tidy';
  import type { Picking } from '../../state/picking/picking.svelte';
  import type { Tidying } from '../../state/picking/tidying';
  import { count } from '../../state/words';
  import Plain from '../parts/Plain.svelte';
  import { t } from '../../language/language.svelte';

  let { picking, tidying }: { picking: Picking; tidying: Tidying } = $props();
  const found = $derived(tidying.found());
  const tidied = $derived(picking.tidied?.names === tidying.meant().join() ? picking.tidied.answer : null);
  const named = $derived(
    tidying
      .meant()
      .map((name) => t(TIDY.find(([one]) => one === name)?.[1] ?? ''))
      .join(t(', then ')),
  );

  // What keys have marked is in sight.
  $effect(() => document.getElementById(`clean-up-${found[tidying.mark]}`)?.scrollIntoView({ block: 'nearest' }));

  function toggle(at: number): void {
    picking.press({ ask: 'take-row', with: at + 1 });
  }
</script>

<div class="flex min-h-0 grow flex-col sm:flex-row" data-tidying={tidying.meant().join()}>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div tabindex="0" role="region" aria-label={t('Ways to clean it up')} class="border-base-300 max-h-[45%] shrink-0 overflow-y-auto border-b p-1.5 sm:max-h-none sm:w-56 sm:border-r sm:border-b-0">
    <div id="clean-ups" role="listbox" aria-label={t('Clean-ups')} aria-multiselectable="true">
      {#each found as step, at (step)}
        {@const place = tidying.chosen.indexOf(step)}
        <!-- svelte-ignore a11y_click_events_have_key_events, a11y_interactive_supports_focus -->
        <div
          role="option"
          id="clean-up-{step}"
          aria-selected={place >= 0}
          class={['rounded-box flex h-8 cursor-default items-center gap-2 border px-2', at === tidying.mark ? 'border-secondary/70 bg-base-200 selected' : 'hover:bg-base-200/60 border-transparent']}
          onclick={() => toggle(at)}
          data-clean-up={TIDY[step]?.[0]}
        >
          <span class="facts figures w-4">{place >= 0 ? place + 1 : ''}</span>{t(TIDY[step]?.[1] ?? '')}
        </div>
      {/each}
    </div>
    {#if found.length === 0}<p class="soft px-3 py-4">{t('No clean-up has that name.')}</p>{/if}
  </div>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="min-h-0 grow overflow-y-auto px-4 py-2" role="region" aria-label={t('What it becomes')} tabindex="0">
    <p class="facts pb-1" data-meant>{named}{tidied ? ` · ${tidied.changed ? count(tidied.chars, 'character') : t('the same as before')}` : ''}</p>
    {#if tidied}<div class="whitespace-pre-wrap wrap-anywhere" dir="auto" data-tidied><Plain text={tidied.text} /></div>{/if}
  </div>
</div>
