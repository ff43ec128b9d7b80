<!-- Phones that see this history: a code to scan, who is signed in, and how one is signed out. -->
<script lang="ts">
  import { onMount } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import QrPicture from '../parts/QrPicture.svelte';
  import { fingerprintLines, moment, shown } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { devices } = $derived(console);
  const all = $derived(devices.phones);
  onMount(() => void devices.loadPhones());
</script>

{#if all}
  <section class="mt-8" aria-labelledby="phones-title" data-phones>
    <h2 class="font-semibold" id="phones-title">{t('Phones')}</h2>
    {#if all.problem}
      <p class="text-error mt-1 wrap-anywhere" role="alert">{t('Phones are not let in: {problem}.', { problem: all.problem })}</p>
    {:else if !all.address}
      <p class="facts mt-1">
        {t('A phone can see this history in its browser, take from it and add to it. It is off: put')} <code>listen = "0.0.0.0:8940"</code> {t('under')}
        <code>[phone]</code> {t('in the configuration, and start the service again.')}
      </p>
    {:else}
      {#if all.phones.length > 0}
        <ul class="border-base-300 mt-2 border-b">
          {#each all.phones as phone (phone.id)}
            <li class="border-base-300 flex min-h-12 flex-wrap items-center gap-x-3 border-t py-1" data-phone={phone.name}>
              <span class="min-w-0 grow font-medium wrap-anywhere">{shown(phone.name)}</span>
              <span class="facts">{t('seen {at}', { at: moment(phone.seen_at / 1000) })}</span>
              <button type="button" class="btn btn-sm btn-ghost text-error touch" aria-label={t('Sign out {name}', { name: phone.name })} onclick={() => void devices.endPhone(phone)}>{t('Sign out')}</button>
            </li>
          {/each}
        </ul>
      {/if}
      {#if devices.phoneLink}
        <div class="mt-3 flex flex-wrap gap-4" data-phone-link={devices.phoneLink.url}>
          <QrPicture picture={devices.phoneLink.picture} alt={t('The code to scan')} />
          <div class="min-w-60 grow basis-60">
            <p>{t('Scan it with the phone’s camera within five minutes. It lets one phone in.')}</p>
            <p class="facts mt-2">{t('The phone’s browser warns first, unless it trusts this computer; its help says how it comes to. The fingerprint (SHA-256) to compare:')}</p>
            <p class="figures mt-1 text-xs select-all" data-fingerprint>{#each fingerprintLines(devices.phoneLink.fingerprint) as line (line)}<span class="block">{line}</span>{/each}</p>
            <button type="button" class="btn btn-sm btn-ghost touch mt-2" onclick={() => void devices.closePhoneLink()}>{t('Done')}</button>
          </div>
        </div>
      {:else}
        <p class="facts mt-1 wrap-anywhere">{t('They come in at {address}, over TLS. A phone sees, searches, takes, adds and pins; the rest is done here.', { address: all.address })}</p>
        <button type="button" class="btn btn-sm btn-soft touch mt-2" disabled={devices.busy} onclick={() => void devices.letPhoneIn()}>{t('Let a phone in')}</button>
      {/if}
    {/if}
  </section>
{/if}
