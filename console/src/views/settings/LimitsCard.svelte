<!-- Limits, with what they would remove while they are typed. -->
<script lang="ts">
  import type { Share } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { inField, ofField, type Changes } from '../../state/settings.svelte';
  import { count, size } from '../../state/words';
  import Chart from '../insight/Chart.svelte';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  const fields: [string, string, string][] = [
    ['limits.clips', 'Clips at most', 'a number, or off'],
    ['limits.days', 'Days at most', 'a number, or off'],
    ['limits.bytes', 'Together at most', '2 GiB, or off'],
    ['limits.one', 'One copy at most', 'up to 64 MiB'],
  ];
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
    if (days < 0.04) return 'this hour';
    if (days < 1) return 'today';
    return days < 30 ? `${days} d` : days < 365 ? `${Math.round(days / 30.4)} mo` : `${Math.round(days / 365)} y`;
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
  <h2 class="font-semibold" id="limits-title">Limits</h2>
  <p class="facts">Oldest first. Favorites and batches are beyond all of them, and are not counted.</p>
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
        <span class="facts block" id="about-{name}">{hint}{one?.from === 'file' ? ' · set' : ' · usual'}</span>
      </label>
    {/each}
    <div class="col-span-full flex flex-wrap items-center gap-2">
      <button type="submit" class="btn btn-sm btn-primary touch" disabled={!changed || settings.wrong !== null}>Set the limits</button>
      {#if changed}<button type="button" class="btn btn-sm btn-ghost touch" onclick={() => (typed = {})}>As they were</button>{/if}
      <p class={settings.wrong ? 'text-error' : 'facts'} role="status" data-plan>
        {#if settings.wrong}{settings.wrong}
        {:else if plan && plan.goes.clips > 0}{changed ? 'Would let' : 'Lets'} {count(plan.goes.clips, 'clip')} go, {size(plan.goes.bytes)}{plan.waits ? `; ${plan.waits}` : ''}.
        {:else if plan}{changed ? 'Nothing would go.' : `There are ${count(plan.counted.clips, 'clip')}, ${size(plan.counted.bytes)}; beside them ${count(plan.kept.clips, 'favorite')}.`}{/if}
      </p>
    </div>
  </form>
  {#if console.session.status?.space}<p class="facts mt-1" data-space>On the disk the records take {size(console.session.status.space.disk)}, for {size(console.session.status.space.contents)} of contents.</p>{/if}
  {#if console.session.status?.waits}
    <p class="note rounded-box mt-2 flex flex-wrap items-center gap-2 px-3 py-2" data-waits>
      <span class="grow">{count(console.session.status.waits.clips, 'clip')} would go by the limits, and wait: {console.session.status.waits.why}.</span>
      <button type="button" class="btn btn-sm btn-soft touch" onclick={() => void settings.setLimits({})}>Let them go…</button>
    </p>
  {/if}
  {#if plan && plan.counted.clips > 0}
    <div class="mt-3 flex items-center gap-2">
      <h3 class="grow font-medium">By age</h3>
      {#each [['clips', 'Number'], ['bytes', 'Size']] as const as [value, label] (value)}
        <button type="button" class={['chip touch', { pressed: by === value }]} aria-pressed={by === value} onclick={() => (by = value)}>{label}</button>
      {/each}
    </div>
    {#key `${by} ${goes.join(' ')}`}<Chart {console} name="Clips by age" shares={ages} label={(name) => name} {by} {goes} tall={130} />{/key}
  {/if}
</section>
