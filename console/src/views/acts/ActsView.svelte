<!-- What can be taken back, and made again, in order. -->
<script lang="ts">
  import type { Act } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { Latest } from '../../state/latest.svelte';
  import { actName, count, moment, summary, time } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const acts = new Latest<Act[]>();
  $effect(() => {
    void console.acts.version;
    acts.read(console.service.acts());
  });
</script>

<main class="min-h-0 min-w-0 grow overflow-y-auto" id="page" tabindex="-1">
  <div class="mx-auto max-w-2xl px-5 py-6">
    <div class="flex items-center gap-2">
      <h1 class="grow text-base font-semibold">{t('Recent acts')}</h1>
      <button type="button" class="btn btn-sm btn-soft" onclick={() => void console.acts.undo()}>{t('Undo what was done here')} <KeyHint of="undo" /></button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void console.acts.redo()}>{t('Redo')} <KeyHint of="redo" /></button>
    </div>
    <p class="facts mt-1">
      {t('What was done on this device, newest first, wherever that was, also before a restart. What was removed can be taken back until the time beside it; then it is gone for good. A new act leaves nothing to be made again.')}
    </p>
    {#if acts.problem}
      <p class="text-error mt-6">{t("They can't be listed now: {message}.", { message: acts.problem })}</p>
    {:else if acts.value}
      {@const list = acts.value}
      {#if list.length === 0}
        <p class="mt-8 text-center" data-empty>{t('There is nothing to take back.')}</p>
      {/if}
      <ol class="mt-4" data-acts>
        {#each list as act, n (`${act.at}`)}
          <li class={['border-base-300 flex items-baseline gap-3 border-t py-2', act.undone && 'soft']}>
            <time class="facts figures w-12 shrink-0" title={moment(act.at / 1000)}>{time(act.at / 1000)}</time>
            <span class={['shrink-0', act.undone && 'line-through']}>{actName(act.act)}</span>
            <span class="soft min-w-0 grow truncate">
              {#if (act.clips ?? 0) > 1}{count(act.clips ?? 0, 'clip')}{#if act.about}: {act.about}{:else if act.first}{t(', first {first}', { first: summary(act.first) })}{/if}{:else if act.first}{summary(act.first)}{:else if act.about}{act.about}{:else if act.drawer}{act.drawer}{:else if act.batch}{act.batch}{/if}
            </span>
            {#if act.undone}<span class="facts">{t('taken back')}</span>{/if}
            {#if act.until}<span class="facts figures shrink-0">{t('until {until}', { until: time(act.until / 1000) })}</span>{/if}
            {#if n === list.findIndex((one) => !one.undone)}<button type="button" class="btn btn-sm btn-soft touch shrink-0" onclick={() => void console.acts.stepTo('undo', act.id ?? '')}>{t('Take it back')}</button>{/if}
          </li>
        {/each}
      </ol>
    {/if}
  </div>
</main>
