<!-- A person's own devices: who belongs, how the exchange stands; letting another one in, or joining it. -->
<script lang="ts">
  import { onMount } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import { count, moment, shortDate } from '../../state/words';
  import PairingCard from './PairingCard.svelte';
  import PhonesCard from './PhonesCard.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { devices } = $derived(console);
  const all = $derived(devices.all);
  const others = $derived((all?.devices.length ?? 1) - 1);
  const stands = $derived.by(() => {
    if (!all?.hub) return null;
    if (all.paused) return t('The exchange is paused.');
    if (all.trouble) return all.trouble;
    if (!all.reached_at) return t('The hub has not answered yet.');
    if (all.waits > 0) return t('{things} to be sent.', { things: count(all.waits, 'thing') });
    if (all.behind > 0) return t('Up to {records} to be received.', { records: count(all.behind, 'record') });
    return others > 0 ? t('Everything is exchanged.') : t('No other device belongs yet.');
  });

  onMount(() => {
    void devices.load();
    const timer = setInterval(() => void devices.load(), 1_000);
    return () => clearInterval(timer);
  });
</script>

<main class="min-h-0 min-w-0 grow overflow-y-auto" id="page" tabindex="-1">
  <div class="mx-auto max-w-3xl px-5 py-6" data-devices>
    <h1 class="text-base font-semibold">{t('Devices')}</h1>
    {#if devices.failure && !all}
      <p class="text-error mt-3" role="alert">{t('They can’t be shown now: {failure}.', { failure: devices.failure })}</p>
    {:else if !all}
      <p class="facts mt-2">{t('Reading…')}</p>
    {:else}
      {#if all.serves || all.serves_problem}
        <p class={['mt-1 wrap-anywhere', all.serves ? 'facts' : 'text-error']} role="status" data-serves>
          {#if all.serves}{t('This device serves a hub for your others at')} <code>{all.serves}</code>{t('.')}{:else}{all.serves_problem}{t('.')}{/if}
        </p>
      {/if}
      {#if !all.hub}
        <p class="facts mt-1">
          {t('Your other computers can hold the same history: what is copied on one is pasted on the other, and what was done apart is merged. It goes through a hub, which reads nothing of it. This device belongs to no group yet.')}
        </p>
      {:else}
        <p class={['mt-1 wrap-anywhere', all.trouble && !all.paused ? 'text-error' : 'facts']} role="status" data-stands>{stands}</p>
        <ul class="border-base-300 mt-4 border-b">
          {#each all.devices as device (device.id)}
            <li class="border-base-300 grid min-h-12 grid-cols-[minmax(0,1fr)_auto] items-center gap-x-3 border-t py-2 sm:grid-cols-[minmax(0,1fr)_9.5rem_9.5rem_7rem]" data-device={device.name}>
              <span class="col-start-1 row-start-1 min-w-0 font-medium wrap-anywhere">{device.name}</span>
              <span class="facts col-start-1 row-start-2 sm:col-start-2 sm:row-start-1">
                {#if device.this}{t('this device')}{:else if device.heard_at}<time title={moment(device.heard_at / 1000)}>{t('last heard of {at}', { at: shortDate(device.heard_at / 1000, Date.now()) })}</time>{:else}{t('not heard of yet')}{/if}
                {#if device.behind != null}<span class="block" data-behind>{device.behind === 0 ? t('has everything') : t('{records} behind', { records: count(device.behind, 'record') })}</span>{/if}
              </span>
              <span class="facts col-start-1 row-start-3 sm:col-start-3 sm:row-start-1">{device.travels ? t('sends {travels}', { travels: device.travels }) : ''}</span>
              {#if device.this}
                <button type="button" class="btn btn-sm btn-ghost touch col-start-2 row-span-3 row-start-1 justify-self-end sm:col-start-4 sm:row-span-1" onclick={() => void devices.leave()}>{t('Leave…')}</button>
              {:else}
                <button type="button" class="btn btn-sm btn-ghost text-error touch col-start-2 row-span-3 row-start-1 justify-self-end sm:col-start-4 sm:row-span-1" onclick={() => void devices.strikeOff(device)}>{t('Strike off…')}</button>
              {/if}
            </li>
          {/each}
        </ul>
        <div class="mt-3 flex flex-wrap items-center gap-2">
          <button type="button" class="btn btn-sm btn-soft touch" disabled={devices.busy || all.paused} onclick={() => void devices.now()}>{t('Exchange now')}</button>
          <button type="button" class="btn btn-sm btn-ghost touch" disabled={devices.busy} onclick={() => void devices.pause(!all.paused)}>{all.paused ? t('Go on') : t('Pause')}</button>
          <span class="facts wrap-anywhere">{t('{hub} · {records} sent and {received} received since the start', { hub: all.hub, records: count(all.sent, 'record'), received: count(all.received, 'record') })}</span>
        </div>
        {#each all.refused as one (`${one.at}-${one.number}`)}
          <p class="note rounded-box mt-2 px-3 py-2" data-refused>{t('Record {number} was refused: {why}.', { number: one.number, why: one.why })}</p>
        {/each}
      {/if}
      <PairingCard {console} />
      <PhonesCard {console} />
    {/if}
  </div>
</main>
