<!-- Nothing here: why, and the next act. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import KeyHint from '../parts/KeyHint.svelte';
  import Mark from '../parts/Mark.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { search, place, session, drawers } = $derived(console);
  const keeping = $derived(session.status?.capture.state === 'keeping');
  const isGone = $derived(place.view === 'drawer' && drawers.loaded && drawers.get(place.id) === null);
</script>

<div role="row" class="mx-auto max-w-md px-6 pt-[12vh] text-center">
  <div role="gridcell">
    {#if search.active}
      <div data-nothing>
        <h2 class="text-lg font-semibold">{t('Nothing matches')}</h2>
        <p class="mt-1.5 break-words">{place.view === 'history' ? t('No clip holds all of “{query}”.', { query: search.shownFor }) : t('No clip here holds all of “{query}”.', { query: search.shownFor })} {t('Fewer words find more; case and accents do not matter.')}</p>
        <button type="button" class="btn btn-sm btn-soft mt-4" onclick={() => { search.clear(); console.focusPage(); }}>{t('Show everything')}</button>
        {#if place.view !== 'history'}
          <button type="button" class="btn btn-sm btn-ghost mt-4" onclick={() => console.find(search.text)}>{t('Search the history')}</button>
        {/if}
      </div>
    {:else if place.view === 'history'}
      <div data-empty>
        <div class="flex justify-center"><Mark look={session.lamp.look} size={44} /></div>
        <h2 class="mt-4 text-lg font-semibold">{t('Nothing was copied yet')}</h2>
        {#if keeping}
          <p class="mt-1.5">{t('Copy something in any program: a sentence, a link, a picture, a file. It arrives here by itself.')}</p>
          <p class="facts mt-4">{t('Or bring something in from a terminal:')} <code>yadori add "a first clip"</code></p>
        {:else}
          <p class="mt-1.5">{session.lamp.words}{t('.')} {session.lamp.reason ?? ''}</p>
          <p class="facts mt-4">{t('Something can be brought in from a terminal:')} <code>yadori add "a first clip"</code></p>
        {/if}
      </div>
    {:else if isGone}
      <div data-empty>
        <h2 class="text-lg font-semibold">{t('This drawer was removed')}</h2>
        <p class="mt-1.5">{t('Its clips are favorites now. Undo, where it was removed, brings it back.')}</p>
        <button type="button" class="btn btn-sm btn-soft mt-4" onclick={() => console.go({ view: 'favorites', query: '' })}>{t('Go to the favorites')}</button>
      </div>
    {:else}
      <div data-empty>
        <h2 class="text-lg font-semibold">{place.view === 'favorites' ? t('No favorites yet') : t('Nothing in this drawer yet')}</h2>
        <p class="mt-1.5">
          {#if place.view === 'favorites'}
            {t('Choose a clip in the history and press')} <KeyHint of="pin" />{t('. Favorites stay until you unpin them, whatever else is cleared.')}
          {:else}
            {t('Choose a clip in the history and press')} <KeyHint of="drawer" />{t(", then type the drawer's name; or drag it onto the drawer.")}
          {/if}
        </p>
        <button type="button" class="btn btn-sm btn-soft mt-4" onclick={() => console.go({ view: 'history', query: '' })}>{t('Go to the history')}</button>
      </div>
    {/if}
  </div>
</div>
