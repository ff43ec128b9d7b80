<!-- Says in words what the lamp shows, counts today's copies, and shows what an ordinary paste would insert. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { given, time } from '../../state/words';
  import Lamp from './Lamp.svelte';
  import Picture from '../parts/Picture.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const live = $derived(console.session.status?.live);
  const last = $derived(console.session.status?.last_copy_at);
  const unheard = $derived((console.session.status?.chords ?? []).filter((one) => one.problem));
  const work = $derived(console.session.status?.work);
  const hitch = $derived(console.session.status?.hitch);
  const capture = $derived(console.session.status?.capture.state);

  /** Whoever switches capture off may want to be rid of what is there. */
  const clear = $derived({ label: t('Clear what is there…'), run: () => void console.settings.clear({}, false) });

  async function go(work: () => Promise<void>, words: string, off = false): Promise<void> {
    try {
      await work();
      console.messages.tell(words, off ? { act: clear } : {});
    } catch (why) {
      console.messages.fail(why);
    }
  }
  const refusal = $derived(console.session.status?.refusals?.[0]);
</script>

<section
  aria-label={t('Capture')}
  class="bg-base-100 border-base-300 rounded-box border px-3 py-2.5"
  data-capture={console.session.status?.capture.state ?? 'unknown'}
>
  <div class="flex items-center gap-2">
    <Lamp look={console.session.lamp.look} breaths={console.arrivals.breaths} />
    <span class="font-medium">{console.session.lamp.words}</span>
  </div>
  {#if console.session.lamp.reason}
    <p class="text-error mt-1.5 text-xs leading-snug wrap-anywhere">{console.session.lamp.reason}</p>
  {/if}
  <p class="facts figures mt-1">
    {t('{n} today', { n: console.today })}{#if last}{` · ${t('last')} `}{time(last / 1000)}{/if}{#if console.session.status?.unsaved}{` · ${t('{n} not saved yet', { n: console.session.status.unsaved })}`}{/if}
  </p>
  {#if work}
    <p class="facts mt-1.5" role="status" data-work>{t('{what}: {done} of {of}', { what: work.what, done: work.done.toLocaleString('en'), of: work.of.toLocaleString('en') })}</p>
    <progress class="progress progress-primary h-1.5 w-full" value={work.done} max={Math.max(1, work.of)} aria-label={work.what}></progress>
  {/if}
  {#if capture === 'paused' && !console.phone.here}
    <button type="button" class="btn btn-sm btn-primary touch mt-1.5 px-2" onclick={() => void go(() => console.session.resume(), t('What is copied from now on is kept.'))} data-resume>{t('Resume')}</button>
  {:else if !console.phone.here && (capture === 'keeping' || capture === 'waiting')}
    <div class="mt-1 flex flex-wrap items-center gap-x-0.5" role="group" aria-label={t('Pause capture')}>
      <span class="facts mr-0.5">{t('Pause')}</span>
      {#each [[15, t('15 min')], [60, t('1 h')], [null, t('for now')]] as const as [minutes, label] (label)}
        <button type="button" class="facts link touch min-w-6 px-0.5" title={minutes === null ? t('Until you resume') : undefined} onclick={() => void go(() => console.session.pause(minutes), t('Paused. Nothing that is copied meanwhile is read.'), minutes === null)}>{label}</button>
      {/each}
    </div>
  {/if}
  <div class="border-base-300 mt-2 border-t pt-2">
    <p class="facts">{live?.plain ? t('A paste now gives, as plain text') : t('A paste now gives')}</p>
    {#if live?.state === 'clip' && live.clip?.kind === 'image'}
      <div class="mt-1"><Picture row={live.clip} most={400} tall={64} /></div>
    {:else}
      <p class={['truncate', { soft: !live?.clip }]} data-live>{given(live)}</p>
    {/if}
  </div>
  {#if unheard.length > 0}
    <p class="facts border-base-300 mt-2 border-t pt-2 leading-snug" data-unheard>
      <span class="text-error">{t('Not heard:')}</span>
      {unheard.map((one) => one.keys.replaceAll('+', ' ')).join(t(', '))}{t('.')} <a class="link" href="#/help">{t('Why')}</a>
    </p>
  {/if}
  {#if hitch}
    <p class="facts border-base-300 mt-2 border-t pt-2 leading-snug wrap-anywhere" data-hitch>{t('Your keys at {at}: {words}', { at: time(hitch.at / 1000), words: hitch.words })}</p>
  {/if}
  {#if refusal}
    <p class="facts border-base-300 mt-2 border-t pt-2 leading-snug">
      {t('Not kept at {at}: {words}', { at: time(refusal.at / 1000), words: refusal.words })}
    </p>
  {/if}
</section>
