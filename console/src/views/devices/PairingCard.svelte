<!-- Pairing: this device shows a code, or the code of another one is typed here. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import QrPicture from '../parts/QrPicture.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { devices } = $derived(console);
  const pairing = $derived(devices.pairing);
  const belongs = $derived(!!devices.all?.hub);
  const underWay = $derived(pairing !== null && !['none', 'done', 'failed'].includes(pairing.state));
  let hub = $state('');
  let invitation = $state('');
  let name = $state('');
  let code = $state('');
  let phrase = $state('');
  let lost = $state(false);

  function show(event: SubmitEvent): void {
    event.preventDefault();
    void devices.showCode(hub, invitation, name);
  }

  function join(event: SubmitEvent): void {
    event.preventDefault();
    void (lost ? devices.typePhrase(hub, phrase, name) : devices.typeCode(hub, code, name));
  }
</script>

{#snippet field(label: string, value: string, set: (text: string) => void, hint: string, mark: string)}
  <label class="min-w-0">
    <span class="block">{label}</span>
    <input class="field h-9 w-full" {value} placeholder={hint} autocomplete="off" spellcheck="false" oninput={(event) => set(event.currentTarget.value)} onkeydown={(event) => event.stopPropagation()} data-field={mark} />
  </label>
{/snippet}

<section class="mt-8" aria-labelledby="pair-title" data-pairing={pairing?.state ?? 'none'}>
  <h2 class="font-semibold" id="pair-title">{belongs ? t('Another device') : t('Begin, or join')}</h2>
  {#if devices.asks !== null}
    <div class="note rounded-box mt-2 px-4 py-3" role="alertdialog" aria-labelledby="asks-title" data-asks>
      <p id="asks-title"><strong class="wrap-anywhere">{devices.asks}</strong> {t('asks to be let in. Is that the device on which you just typed the code?')}</p>
      <div class="mt-3 flex gap-2">
        <button type="button" class="btn btn-sm touch" disabled={devices.busy} onclick={() => void devices.answer(false)}>{t('No')}</button>
        <button type="button" class="btn btn-sm btn-primary touch" disabled={devices.busy} onclick={() => void devices.answer(true)}>{t('Let it in')}</button>
      </div>
    </div>
  {:else if pairing?.state === 'shown' && pairing.code}
    <p class="facts mt-1">{t('On the other device, within ten minutes, type this code and the address of the hub, in its console or as')} <code>yadori pair {pairing.code} --hub {devices.all?.hub}</code>{t('.')}</p>
    <div class="mt-3 flex flex-wrap items-center gap-4">
      <div>
        <p class="figures text-3xl tracking-wider select-all" data-code>{pairing.code}</p>
        <p class="mt-1 wrap-anywhere select-all">{devices.all?.hub}</p>
      </div>
      {#if pairing.picture}<QrPicture picture={pairing.picture} alt={t('The code and the hub’s address, to be scanned')} />{/if}
    </div>
    {#if pairing.phrase}
      <div class="note rounded-box mt-4 px-4 py-3" data-phrase>
        <p>{t('Write this down and keep it away from your devices. It is shown this once, and is the only way back to your history when all of them are lost.')}</p>
        <p class="figures mt-2 select-all wrap-anywhere">{pairing.phrase}</p>
      </div>
    {/if}
    <button type="button" class="btn btn-sm btn-ghost touch mt-3" onclick={() => void devices.callOff()}>{t('Call it off')}</button>
  {:else if underWay}
    <p class="mt-2" role="status">{pairing?.state === 'typed' ? t('The other device is being reached. Say there that this one may come in.') : t('{device} is being let in…', { device: pairing?.device ?? t('This device') })}</p>
    <button type="button" class="btn btn-sm btn-ghost touch mt-3" onclick={() => void devices.callOff()}>{t('Call it off')}</button>
  {:else}
    {#if pairing?.state === 'failed'}<p class="text-error mt-2 wrap-anywhere" role="alert" data-failed>{t('It did not come about: {why}.', { why: pairing.why ?? '…' })}</p>{/if}
    {#if pairing?.state === 'done'}<p class="mt-2" role="status">{t('Paired with {device}.', { device: pairing.device ?? t('This device') })}</p>{/if}
    {#if belongs}
      <form class="mt-2" onsubmit={show}><button type="submit" class="btn btn-sm btn-primary touch" disabled={devices.busy}>{t('Show a code')}</button></form>
    {:else}
      <div class="mt-2 grid gap-x-4 gap-y-2 sm:grid-cols-2">
        {@render field(t('Where the hub answers'), hub, (text) => (hub = text), 'http://127.0.0.1:8930', 'hub')}
        {@render field(t('What this device is called'), name, (text) => (name = text), t('its host name'), 'name')}
      </div>
      <div class="mt-5 grid gap-x-8 gap-y-6 sm:grid-cols-2">
        <form onsubmit={show}>
          <h3 class="font-medium">{t('The first of your devices')}</h3>
          <div class="mt-1">{@render field(t('Invitation of the hub’s owner'), invitation, (text) => (invitation = text), t('where it asks for one'), 'invitation')}</div>
          <button type="submit" class="btn btn-sm btn-primary touch mt-2" disabled={devices.busy || hub.trim() === ''}>{t('Begin, and show a code')}</button>
        </form>
        <form onsubmit={join}>
          <h3 class="font-medium">{t('Another one shows a code')}</h3>
          <div class="mt-1">
            {#if lost}{@render field(t('The recovery phrase'), phrase, (text) => (phrase = text), t('28 letters and digits'), 'phrase')}{:else}{@render field(t('The code'), code, (text) => (code = text), '12-79HM-Q9F95', 'code')}{/if}
          </div>
          <div class="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1">
            <button type="submit" class="btn btn-sm btn-primary touch" disabled={devices.busy || hub.trim() === '' || (lost ? phrase : code).trim() === ''}>{t('Join')}</button>
            <label class="touch flex min-h-6 items-center gap-1.5"><input type="checkbox" class="checkbox checkbox-sm" bind:checked={lost} />{t('all others are lost')}</label>
          </div>
        </form>
      </div>
    {/if}
  {/if}
</section>
