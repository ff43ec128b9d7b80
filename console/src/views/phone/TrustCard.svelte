<!-- On a phone: how it comes to trust this computer, and what is missing until then. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { fingerprintLines } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  // Asked once, by a page that was just opened.
  const all = (() => console.service.phones())();
</script>

<section aria-labelledby="trust-title" data-trust>
  <h2 class="font-semibold" id="trust-title">{t('This phone')}</h2>
  {#await all then now}
    {#if now.own_authority}
      <p class="mt-1">
        {t('The browser warned because nobody vouches for the computer. Everything here works nevertheless, except what browsers allow to trusted pages alone: this page as an app on the home screen, and Yadori among the places to share to.')}
      </p>
      <ol class="mt-2 list-decimal pl-5">
        <li><a class="link" href="/authority.crt" download="yadori.crt">{t('Fetch the computer’s certificate')}</a>{t('.')}</li>
        <li>{t('In the phone’s settings, install it as a certificate authority (on iOS also under About, Certificate Trust Settings).')}</li>
        <li>{t('Compare the SHA-256 fingerprint there with the one on the computer, in its console under Devices. It must be this one:')}</li>
      </ol>
      <p class="figures mt-1 text-xs select-all" data-fingerprint>{#each fingerprintLines(now.fingerprint ?? '') as line (line)}<span class="block">{line}</span>{/each}</p>
      <p class="facts mt-1">{t('Trusting it lets that computer, and nobody else, vouch for addresses on this phone. It can be taken back in the same place.')}</p>
    {:else}
      <p class="facts mt-1">{t('The computer shows a certificate of its owner’s. In the browser’s menu this page can be put on the home screen.')}</p>
    {/if}
  {:catch why}
    <p class="text-error">{t('It can’t be told now: {message}.', { message: why.message })}</p>
  {/await}
</section>
