<!-- Browsers that are signed in, and how to sign them out. -->
<script lang="ts">
  import type { SignedInBrowser } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { Latest } from '../../state/latest.svelte';
  import { moment, shown } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const browsers = new Latest<SignedInBrowser[]>();
  $effect(() => browsers.read(console.service.browsers()));

  async function end(one: SignedInBrowser): Promise<void> {
    if (one.here) return signOut();
    try {
      await console.service.endBrowser(one.id);
      browsers.read(console.service.browsers());
      console.messages.tell(t('{name} is signed out.', { name: one.name }));
    } catch (why) {
      console.messages.fail(why);
    }
  }
  const signOut = () => console.session.signOut();
</script>

<div class="flex items-center gap-2">
  <h2 class="grow font-semibold">{t('Signed in')}</h2>
  <button type="button" class="btn btn-sm btn-soft touch" onclick={() => void signOut()}>{t('Sign out here')}</button>
</div>
<p class="facts">{t('A browser stays signed in until it is signed out: here, or in a terminal by')} <code>yadori console --end</code>{t('.')}</p>
{#if browsers.problem}
  <p class="text-error">{t("They can't be listed now: {message}.", { message: browsers.problem })}</p>
{:else if browsers.value}
  <ul class="mt-1" data-browsers>
    {#each browsers.value as one (one.id)}
      <li class="border-base-300 flex flex-wrap items-center gap-x-3 border-t py-1">
        <span class="grow">{shown(one.name)}{one.here ? t(', this one') : ''} <span class="facts">{t('at {origin}', { origin: one.origin })}</span></span>
        <span class="facts">{t('since {since}, seen {at}', { since: moment(one.made_at / 1000), at: moment(one.seen_at / 1000) })}</span>
        <button type="button" class="btn btn-sm btn-ghost text-error touch" aria-label={t('Sign out {name}{here}', { name: one.name, here: one.here ? t(', this one') : '' })} onclick={() => void end(one)}>{t('Sign out')}</button>
      </li>
    {:else}<li class="facts py-1">{t('None that outlives the service.')}</li>{/each}
  </ul>
{/if}
