<script lang="ts">
  import { setContext } from 'svelte';

  import { page, showLamp } from './border/page';
  import { Pictures } from './border/pictures';
  import { Service } from './border/service';
  import { Console } from './state/console.svelte';
  import type { Command } from './state/keys';
  import { isEntry } from './state/session.svelte';
  import ActsView from './views/acts/ActsView.svelte';
  import AskLine from './views/clip/AskLine.svelte';
  import DrawersView from './views/drawers/DrawersView.svelte';
  import AtHand from './views/frame/AtHand.svelte';
  import BottomBar from './views/frame/BottomBar.svelte';
  import Rail from './views/frame/Rail.svelte';
  import ToastLine from './views/frame/ToastLine.svelte';
  import HelpView from './views/help/HelpView.svelte';
  import Stream from './views/history/Stream.svelte';
  import InsightView from './views/insight/InsightView.svelte';
  import KeptView from './views/kept/KeptView.svelte';
  import SignIn from './views/sign-in/SignIn.svelte';

  const service = new Service(page);
  const console = new Console(service, page);
  setContext('console', console);
  setContext('pictures', new Pictures(service));
  void console.open();

  // A sign-in link opened where the console is open already changes the fragment alone.
  function onHash(): void {
    if (isEntry(page.fragment)) window.location.reload();
    else console.readPlace();
  }

  // Keys that hold everywhere, except where one writes.
  function onKey(event: KeyboardEvent): void {
    if (event.defaultPrevented || console.session.entry !== 'in') return;
    if ((event.target as HTMLElement).closest('input, textarea, select')) return;
    const command = console.keys.command(event, 'page');
    const acts: Partial<Record<Command, () => void>> = {
      toSearch: () => console.goToSearch(),
      help: () => console.go({ view: 'help' }),
      undo: () => void console.acts.undo(),
      redo: () => void console.acts.redo(),
      go: () => {},
      goHistory: () => console.go({ view: 'history' }),
      goFavorites: () => console.go({ view: 'favorites' }),
      goInsight: () => console.go({ view: 'insight' }),
    };
    const favorite = console.kept.first[Number(event.key) - 1];
    if (favorite) acts.favorite = () => void console.acts.take(favorite.id, 'ready');
    const act = command && acts[command];
    if (act) {
      event.preventDefault();
      act();
    }
  }

  $effect(() => {
    const { look, words } = console.session.lamp;
    showLamp(look, console.session.entry !== 'in' || look === 'lit' ? 'Yadori' : `${words} · Yadori`);
  });
</script>

<svelte:window onhashchange={onHash} onkeydown={onKey} />

<div class="sr-only" aria-live="polite" data-said>{console.messages.said}</div>
{#if console.session.entry === 'out'}
  <SignIn {console} />
{:else if console.session.entry === 'in'}
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
