<script lang="ts">
  import { setContext } from 'svelte';

  import { Console } from './state/console.svelte';
  import { Pictures } from './state/pictures';
  import ActsView from './views/ActsView.svelte';
  import AskLine from './views/AskLine.svelte';
  import AtHand from './views/AtHand.svelte';
  import BottomBar from './views/BottomBar.svelte';
  import DrawersView from './views/DrawersView.svelte';
  import HelpView from './views/HelpView.svelte';
  import InsightView from './views/InsightView.svelte';
  import KeptView from './views/KeptView.svelte';
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
    else console.readPlace();
  }

  // Keys that hold everywhere, except where one writes.
  let went = 0;
  function onKey(event: KeyboardEvent): void {
    if (event.defaultPrevented || console.entry !== 'in' || event.altKey) return;
    const target = event.target as HTMLElement;
    if (target.closest('input, textarea, select')) return;
    const undo = (again: boolean) => void (again ? console.redo() : console.undo());
    const acts: Record<string, () => void> = {};
    if (event.ctrlKey || event.metaKey) {
      if (event.key.toLowerCase() === 'z') acts[event.key] = () => undo(event.shiftKey);
    } else {
      acts['/'] = () => {
        console.go({ view: 'history' });
        requestAnimationFrame(() => document.getElementById('search')?.focus());
      };
      acts['?'] = () => console.go({ view: 'help' });
      acts.u = acts.U = () => undo(event.shiftKey);
      acts.g = () => (went = event.timeStamp);
      if (event.timeStamp - went < 1_500) {
        acts.h = () => console.go({ view: 'history' });
        acts.f = () => console.go({ view: 'favorites' });
        acts.i = () => console.go({ view: 'insight' });
      }
      const favorite = /^[1-9]$/.test(event.key) ? console.kept.first[Number(event.key) - 1] : undefined;
      if (favorite) acts[event.key] = () => void console.take(favorite.id, 'ready');
    }
    const act = acts[event.key];
    if (act) {
      event.preventDefault();
      act();
    }
  }

  // The lamp is the page's icon, and its title says when something is wrong.
  $effect(() => {
    const { look, words } = console.lamp;
    document.querySelector('link[rel=icon]')?.setAttribute('href', `/lamp-${look}.svg`);
    document.title = console.entry !== 'in' || look === 'lit' ? 'Yadori' : `${words} · Yadori`;
  });
</script>

<svelte:window onhashchange={onHash} onkeydown={onKey} />

<div class="sr-only" aria-live="polite" data-said>{console.said}</div>
{#if console.entry === 'out'}
  <SignIn {console} />
{:else if console.entry === 'in'}
  <div class="flex h-full flex-col sm:flex-row">
    <Rail {console} />
    {#if console.place.view === 'history'}
      <Stream {console} />
    {:else if console.place.view === 'favorites' || console.place.view === 'drawer'}
      <KeptView {console} />
    {:else if console.place.view === 'insight'}
      <InsightView {console} />
    {:else if console.place.view === 'acts'}
      <ActsView {console} />
    {:else if console.place.view === 'drawers'}
      <DrawersView {console} />
    {:else}
      <HelpView {console} />
    {/if}
    {#if console.place.view === 'history' || console.place.view === 'drawer'}<AtHand {console} />{/if}
    <BottomBar {console} />
  </div>
  <AskLine {console} />
  <ToastLine {console} />
{/if}
