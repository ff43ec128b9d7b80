<!-- On a narrow page: the drawers, and the way to everything that has no room in the bar. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import DrawerList from '../frame/DrawerList.svelte';
  import LampCard from '../frame/LampCard.svelte';
  import NewDrawer from '../frame/NewDrawer.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  let making = $state(false);
</script>

<main class="min-h-0 min-w-0 grow overflow-y-auto p-4" id="page" tabindex="-1">
  <div class="flex items-center gap-2">
    <h1 class="grow text-base font-semibold" id="drawers-of-page">{t('Drawers')}</h1>
    {#if !console.phone.here}<button type="button" class="btn btn-sm btn-soft touch" aria-expanded={making} onclick={() => (making = !making)}>{t('Make a drawer')}</button>{/if}
  </div>
  {#if making}<div class="mt-2"><NewDrawer {console} onend={() => (making = false)} /></div>{/if}
  <div class="mt-2 text-[0.9375rem]"><DrawerList {console} labelledby="drawers-of-page" /></div>
  {#if !console.phone.here}<p class="facts mt-1">{t('A drawer is moved, renamed and removed in it, under “Change drawer”.')}</p>{/if}
  <ul class="border-base-300 mt-4 border-t pt-3 text-[0.9375rem] leading-11">
    <li><a class="block" href="#/insight">{t('Insight')}</a></li>
    {#if !console.phone.here}
      <li><a class="block" href="#/acts">{t('Recent acts')}</a></li>
      <li><a class="block" href="#/devices">{t('Devices')}</a></li>
      <li><a class="block" href="#/settings">{t('Settings')}</a></li>
    {/if}
    <li><a class="block" href="#/help">{t('Help')}</a></li>
  </ul>
  <div class="mt-4 sm:hidden"><LampCard {console} /></div>
</main>
