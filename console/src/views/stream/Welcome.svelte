<!-- The first start: short, can be skipped and seen again, ends with the person's own first copy arriving. -->
<script lang="ts">
  import Check from '@lucide/svelte/icons/check';

  import type { Console } from '../../state/console.svelte';
  import { summary } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  let step = $state(0);
  const before = $derived.by(() => console.arrivals.newest?.id);
  let startedWith = $state<string | undefined>(undefined);
  const came = $derived(step === 1 && before !== undefined && before !== startedWith ? console.arrivals.newest : null);

  function end(): void {
    console.prefs.welcomed = true;
    console.prefs.save();
    console.focusPage();
  }

  function next(): void {
    startedWith = before;
    step = 1;
  }
</script>

<div role="row" class="mx-auto max-w-4xl px-4 pt-4 sm:px-6.5" aria-label={t('First start')} data-welcome={step}>
  <div role="gridcell" class="border-base-300 bg-base-200/60 rounded-box border p-4">
    {#if step === 0}
      <h2 class="text-base font-semibold">{t('What you copy finds a bed here')}</h2>
      <p class="mt-1 max-w-[70ch]">
        {t('Every text, link, picture and file you copy in any program is kept and can be handed back: choose it with the arrow keys and press')}
        <KeyHint of="take" />{t(', and the next ordinary paste inserts it.')} <KeyHint of="toSearch" /> {t('searches,')}
        <KeyHint of="pin" /> {t('pins what matters,')} <KeyHint of="undo" /> {t('takes anything back. Nothing leaves your own computers.')}
      </p>
      <div class="mt-3 flex gap-1.5">
        <button type="button" class="btn btn-sm btn-primary" onclick={next}>{t('Try it')}</button>
        <button type="button" class="btn btn-sm btn-ghost" onclick={end}>{t('Skip')}</button>
      </div>
    {:else if !came}
      <h2 class="text-base font-semibold">{t('Now copy something')}</h2>
      <p class="mt-1" role="status">
        {#if console.session.status?.capture.state === 'keeping'}
          {t('Mark a word in any other program and copy it as you always do. It will arrive here by itself.')}
        {:else}
          {console.session.lamp.words}{t('.')} {console.session.lamp.reason ?? ''}
        {/if}
      </p>
      <div class="mt-3"><button type="button" class="btn btn-sm btn-ghost" onclick={end}>{t('Skip')}</button></div>
    {:else}
      <h2 class="flex items-center gap-2 text-base font-semibold"><Check size={17} class="text-success" aria-hidden="true" /> {t('There it is')}</h2>
      <p class="mt-1 truncate" role="status">{t('“{came}” is the first in the list below, and stays until you or a limit you know says otherwise.', { came: summary(came).slice(0, 100) })}</p>
      <div class="mt-3 flex gap-1.5">
        <button type="button" class="btn btn-sm btn-primary" onclick={end}>{t('Done')}</button>
        <button type="button" class="btn btn-sm btn-ghost" onclick={() => { end(); console.go({ view: 'help' }); }}>{t('Keys and filters')}</button>
      </div>
    {/if}
  </div>
</div>
