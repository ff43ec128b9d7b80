<!-- Limits, with what they would remove while they are typed. -->
<script lang="ts">
  import type { Share } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { inField, ofField, type Changes } from '../../state/settings.svelte';
  import { count, size } from '../../state/words';
  import Chart from '../insight/Chart.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  const fields: [string, string, string][] = $derived([
    ['limits.clips', t('Clips at most'), t('a number, or off')],
    ['limits.days', t('Days at most'), t('a number, or off')],
    ['limits.bytes', t('Together at most'), t('2 GiB, or off')],
    ['limits.one', t('One copy at most'), t('up to 64 MiB')],
  ]);
  /** What is typed and not set yet. */
  let typed = $state<Record<string, string>>({});
  let by = $state<'clips' | 'bytes'>('clips');
  const changes = $derived(Object.fromEntries(Object.entries(typed).map(([name, text]) => [name, ofField(text)])) as Changes);
  const changed = $derived(Object.entries(typed).some(([name, text]) => text !== inField(settings.named(name)?.value)));
  const { plan } = $derived(settings);
  /** Up to the oldest that there are. */
  const told = $derived((plan?.ages ?? []).slice(0, 1 + (plan?.ages ?? []).findLastIndex((one, n) => n < 4 || one.amount.clips > 0)));
  const ages = $derived(told.map(({ days, amount }): Share => ({ name: ageName(days), clips: amount.clips, bytes: amount.bytes, query: '' })));
  const goes = $derived(told.map((one) => one.goes[by]));

  function ageName(days: number): string {
    if (days < 0.04) return t('this hour');
    if (days < 1) return t('today');
    return days < 30 ? t('{n} d', { n: days }) : days < 365 ? t('{n} mo', { n: Math.round(days / 30.4) }) : t('{n} y', { n: Math.round(days / 365) });
  }

  $effect(() => {
    const wanted = changed ? changes : {};
    const timer = setTimeout(() => void settings.tryLimits(wanted), 200);
    return () => clearTimeout(timer);
  });

  async function set(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (await settings.setLimits(changes)) typed = {};
  }
</script>

<section aria-labelledby="limits-title" data-limits>
  <h2 class="font-semibold" id="limits-title">{t('Limits')}</h2>
  <p class="facts">{t('Oldest first. Favorites and batches are beyond all of them, and are not counted.')}</p>
  <form class="mt-2 grid grid-cols-2 gap-x-4 gap-y-2 md:grid-cols-4" onsubmit={(event) => void set(event)}>
    {#each fields as [name, label, hint] (name)}
      {@const one = settings.named(name)}
      <label class="min-w-0">
        <span class="block">{label}</span>
        <input
          class="field h-9 w-full"
          value={typed[name] ?? inField(one?.value)}
          placeholder={inField(one?.usual)}
          autocomplete="off"
          aria-describedby="about-{name}"
          oninput={(event) => (typed = { ...typed, [name]: event.currentTarget.value })}
          onkeydown={(event) => event.stopPropagation()}
          data-setting={name}
        />
        <span class="facts block" id="about-{name}">{hint}{one?.from === 'file' ? ` · ${t('set')}` : ` · ${t('usual')}`}</span>
      </label>
    {/each}
    <div class="col-span-full flex flex-wrap items-center gap-2">
      <button type="submit" class="btn btn-sm btn-primary touch" disabled={!changed || settings.wrong !== null}>{t('Set the limits')}</button>
      {#if changed}<button type="button" class="btn btn-sm btn-ghost touch" onclick={() => (typed = {})}>{t('As they were')}</button>{/if}
      <p class={settings.wrong ? 'text-error' : 'facts'} role="status" data-plan>
        {#if settings.wrong}{settings.wrong}
        {:else if plan && plan.goes.clips > 0}{(changed ? t('Would let {clips} go, {bytes}', { clips: count(plan.goes.clips, 'clip'), bytes: size(plan.goes.bytes) }) : t('Lets {clips} go, {bytes}', { clips: count(plan.goes.clips, 'clip'), bytes: size(plan.goes.bytes) }))}{plan.waits ? `; ${plan.waits}` : ''}{t('.')}
        {:else if plan}{changed ? t('Nothing would go.') : t('There are {clips}, {bytes}; beside them {favorites}.', { clips: count(plan.counted.clips, 'clip'), bytes: size(plan.counted.bytes), favorites: count(plan.kept.clips, 'favorite') })}{/if}
      </p>
    </div>
  </form>
  {#if console.session.status?.space}<p class="facts mt-1" data-space>{t('On the disk the records take {disk}, for {contents} of contents.', { disk: size(console.session.status.space.disk), contents: size(console.session.status.space.contents) })}</p>{/if}
  {#if console.session.status?.waits}
    <p class="note rounded-box mt-2 flex flex-wrap items-center gap-2 px-3 py-2" data-waits>
      <span class="grow">{t('{clips} would go by the limits, and wait: {why}.', { clips: count(console.session.status.waits.clips, 'clip'), why: console.session.status.waits.why })}</span>
      <button type="button" class="btn btn-sm btn-soft touch" onclick={() => void settings.setLimits({})}>{t('Let them go…')}</button>
    </p>
  {/if}
  {#if plan && plan.counted.clips > 0}
    <div class="mt-3 flex items-center gap-2">
      <h3 class="grow font-medium">{t('By age')}</h3>
      {#each [['clips', t('Number')], ['bytes', t('Size')]] as const as [value, label] (value)}
        <button type="button" class={['chip touch', { pressed: by === value }]} aria-pressed={by === value} onclick={() => (by = value)}>{label}</button>
      {/each}
    </div>
    {#key `${by} ${goes.join(' ')}`}<Chart {console} name={t('Clips by age')} shares={ages} label={(name) => name} {by} {goes} tall={130} />{/key}
  {/if}
</section>
