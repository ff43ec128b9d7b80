<!-- The way in: as a page of its own, or over the page that one was on. -->
<script lang="ts">
  import { onMount, tick } from 'svelte';

  import { lastFocused } from '../../border/focus';
  import type { Console } from '../../state/console.svelte';
  import Mark from '../parts/Mark.svelte';
  import { t } from '../../language/language.svelte';

  let { console, over }: { console: Console; over: boolean } = $props();
  const { session } = $derived(console);
  let link = $state('');
  const before = lastFocused();

  // The way in has the focus while one is out; afterwards it is where it was.
  onMount(() => {
    if (!over) return;
    field?.focus();
    return () => {
      void tick().then(() => {
        if (before instanceof HTMLElement && before.isConnected) before.focus();
        else console.focusPage();
      });
    };
  });
  let field = $state<HTMLInputElement>();

  async function enter(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (link.trim() !== '') await session.enter(link);
  }
</script>

<div
  class={over ? 'bg-base-100 border-base-content/20 fixed inset-x-2 bottom-2 z-40 mx-auto max-h-[calc(100%-1rem)] max-w-lg overflow-y-auto rounded-xl border p-5 shadow-2xl sm:bottom-6' : 'max-w-md'}
  role={over ? 'dialog' : undefined}
  aria-label={over ? t('Sign in again') : undefined}
  data-sign-in
>
  {#if !over}<Mark look="dark" size={40} />{/if}
  <svelte:element this={over ? 'h2' : 'h1'} class={over ? 'text-base font-semibold' : 'mt-4 text-xl font-semibold'}>{over ? t('You are signed out') : t('Sign in with a link')}</svelte:element>
  {#if session.problem}
    <p class="text-error mt-2" role="alert">{t('That did not work: {problem}.', { problem: session.problem })}</p>
  {/if}
  {#if console.phone.here}
    <p class="mt-2">{t('On the computer, open Devices in the console, or run')} <code>yadori phone add</code>{t(', and scan the code that it shows with this phone.')}</p>
  {:else}
  <p class="mt-2">
    {over ? t('The page stays as it is, with what you typed.') : t('What you copy is yours, so this page opens with a link that only your own terminal can make.')} {t('Run this there, and open what it prints within a minute, or paste it here:')}
  </p>
  <pre class="bg-base-200 border-base-300 mt-3 rounded-lg border px-3 py-2 text-sm"><code>yadori console</code></pre>
  {/if}
  <form class="mt-3 flex flex-wrap gap-1.5" onsubmit={(event) => void enter(event)}>
    <input class="field h-9 min-w-40 grow" bind:this={field} bind:value={link} placeholder={t('The link')} aria-label={t('The sign-in link')} autocomplete="off" spellcheck="false" onkeydown={(event) => event.stopPropagation()} />
    <button type="submit" class="btn btn-primary h-9 min-h-9">{t('Sign in')}</button>
  </form>
  {#if !console.phone.here}<p class="facts mt-3">
    <code>yadori console --open</code> {t('opens it for you. This browser stays signed in until you sign it out.')}
  </p>{/if}
</div>
