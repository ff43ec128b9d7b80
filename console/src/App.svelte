<script lang="ts">
  import { setContext } from 'svelte';

  import { Console } from './state/console.svelte';
  import { Pictures } from './state/pictures';
  import Rail from './views/Rail.svelte';
  import SignIn from './views/SignIn.svelte';
  import Stream from './views/Stream.svelte';
  import ToastLine from './views/ToastLine.svelte';

  const console = new Console();
  setContext('console', console);
  setContext('pictures', new Pictures(console.service));
  void console.open();

  // A sign-in link opened where the console is open already changes the fragment alone.
  function onHash(): void {
    if (window.location.hash.startsWith('#entry=')) window.location.reload();
  }

  // The lamp is the page's icon, and its title says when something is wrong.
  $effect(() => {
    const { look, words } = console.lamp;
    document.querySelector('link[rel=icon]')?.setAttribute('href', `/lamp-${look}.svg`);
    document.title = console.entry !== 'in' || look === 'lit' ? 'Yadori' : `${words} · Yadori`;
  });
</script>

<svelte:window onhashchange={onHash} />

<div class="sr-only" aria-live="polite" data-said>{console.said}</div>
{#if console.entry === 'out'}
  <SignIn {console} />
{:else if console.entry === 'in'}
  <div class="flex h-full flex-col sm:flex-row">
    <Rail {console} />
    <Stream {console} />
  </div>
  <ToastLine {console} />
{/if}
