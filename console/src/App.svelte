<script lang="ts">
  import { setContext, untrack } from 'svelte';

  import { isField, keepFocus } from './border/focus';
  import { speakAs } from './border/language';
  import { isTouched, page, showLamp, showTheme } from './border/page';
  import { Pictures } from './border/pictures';
  import { Service } from './border/service';
  import { Console } from './state/console.svelte';
  import { Keys, type Command } from './state/keys.svelte';
  import { look as shown } from './state/look.svelte';
  import { isList, placeOf } from './state/place.svelte';
  import { isEntry } from './state/session.svelte';
  import BatchesView from './views/batches/BatchesView.svelte';
  import HandView from './views/batches/HandView.svelte';
  import ActsView from './views/acts/ActsView.svelte';
  import AskLine from './views/clip/AskLine.svelte';
  import DrawersView from './views/drawers/DrawersView.svelte';
  import AtHand from './views/frame/AtHand.svelte';
  import BottomBar from './views/frame/BottomBar.svelte';
  import JumpLine from './views/frame/JumpLine.svelte';
  import Rail from './views/frame/Rail.svelte';
  import ToastLine from './views/frame/ToastLine.svelte';
  import HelpView from './views/help/HelpView.svelte';
  import InsightView from './views/insight/InsightView.svelte';
  import AddSheet from './views/phone/AddSheet.svelte';
  import PickView from './views/pick/PickView.svelte';
  import QuestionBox from './views/parts/QuestionBox.svelte';
  import DevicesView from './views/devices/DevicesView.svelte';
  import SettingsView from './views/settings/SettingsView.svelte';
  import SignIn from './views/sign-in/SignIn.svelte';
  import Stream from './views/stream/Stream.svelte';
  import { t } from './language/language.svelte';

  const service = new Service(page);
  const console = new Console(service, page);
  setContext('console', console);
  setContext('pictures', new Pictures(service));
  void console.open().then(() => console.session.entry === 'in' && console.focusPage());

  let stream = $state<ReturnType<typeof Stream>>();
  /** In a small window of its own. */
  const alone = $derived(console.place.view === 'hand' || console.place.view === 'pick');
  const there = $derived(console.session.entry === 'in' || console.session.before);

  // A sign-in link opened where the console is open already changes the fragment alone.
  function onAddress(): void {
    if (isEntry(page.fragment)) window.location.reload();
    else if (there) console.readPlace();
  }

  // Links inside the console are followed at once: what is pressed next is pressed there.
  function onClick(event: MouseEvent): void {
    const link = event.target instanceof Element ? event.target.closest('a') : null;
    const address = link?.getAttribute('href') ?? '';
    if (!address.startsWith('#/') || event.defaultPrevented || event.button !== 0 || event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    console.go(placeOf(address));
  }

  // Keys that hold everywhere but in fields; and moves, which lead into the list. Where a field went away under a
  // person's hands, nothing holds but moves.
  function onKey(event: KeyboardEvent): void {
    if (event.defaultPrevented || !there || isField(event.target) || console.place.view === 'pick') return;
    const rests = (event.target as HTMLElement).id === 'rest';
    const moves: Command[] = ['next', 'previous', 'pageDown', 'pageUp', 'first', 'last'];
    const command = console.keys.command(event, ...(rests ? [] : (['page'] as const)), ...(isList(console.place) ? (['list'] as const) : []));
    if (!command) return;
    const doings: Partial<Record<Command, () => void>> = {
      toSearch: () => console.goToSearch(),
      help: () => console.go({ view: 'help' }),
      undo: () => void console.acts.undo(),
      redo: () => void console.acts.redo(),
      goHistory: () => console.go({ view: 'history', query: '' }),
      goFavorites: () => console.go({ view: 'favorites', query: '' }),
      goBatches: () => console.go({ view: 'batches' }),
      goInsight: () => console.go({ view: 'insight' }),
      goActs: () => console.go({ view: 'acts' }),
      goDevices: () => console.go({ view: 'devices' }),
      goSettings: () => console.go({ view: 'settings' }),
      goDrawer: () => (console.jumping = true),
      favorite: () => console.takeFavorite(Keys.digit(event)),
      leave: () => {
        console.messages.dismiss();
        console.focusPage();
      },
    };
    const inMenu = (event.target as HTMLElement).closest('select, summary, [role=slider]') !== null;
    if (moves.includes(command) && !inMenu) doings[command] = () => stream?.move(command, true);
    const doing = doings[command];
    if (!doing) return;
    event.preventDefault();
    doing();
  }

  $effect(() => {
    const { look, words } = console.session.lamp;
    const today = console.today > 0 ? ` · ${t('{n} today', { n: console.today })}` : '';
    const name = console.session.entry === 'in' ? `${console.pageName} · Yadori${today}` : 'Yadori';
    const paused = console.session.status?.capture.state === 'paused';
    showLamp(look, console.session.entry !== 'in' || look === 'lit' || (look === 'dark' && !paused) ? name : `${words} · ${name}`);
  });
  $effect(() => {
    const look = console.session.status?.look;
    if (!look) return;
    showTheme(look.theme);
    // Without its catalogue it goes on as it spoke before.
    speakAs(look.language ?? 'system').catch(() => {});
    [shown.hours, shown.density, shown.previews] = [look.hours, isTouched() ? 'normal' : (look.density ?? 'normal'), look.previews ?? 'medium'];
    untrack(() => console.followLook(look));
  });
</script>

<svelte:window
  onhashchange={onAddress}
  onpopstate={onAddress}
  onpagehide={() => console.leaving()}
  onkeydown={onKey}
  onclick={onClick}
  onstorage={(event) => event.key === 'yadori.key' && service.keyChanged()}
/>

<header class="contents">
  {#if there}<a class="skip btn btn-sm btn-primary" href="#page" onclick={(event) => { event.preventDefault(); console.focusPage(); }}>{isList(console.place) ? t('Skip to the list') : t('Skip to the page')}</a>{/if}
  <div class="sr-only" aria-live="polite" data-said>{console.messages.said}</div>
  <div id="rest" tabindex="-1" class="sr-only" role="note" aria-label={t('Nothing is selected. Arrow keys lead into the list.')}></div>
</header>
{#if there}
  <div class="frame flex h-full flex-col sm:flex-row" {@attach keepFocus} inert={console.session.entry !== 'in'}>
    {#if !alone}<Rail {console} />{/if}
    {#if isList(console.place)}
      <Stream bind:this={stream} {console} />
    {:else if console.place.view === 'insight'}
      <InsightView {console} />
    {:else if console.place.view === 'acts'}
      <ActsView {console} />
    {:else if console.place.view === 'devices'}
      <DevicesView {console} />
    {:else if console.place.view === 'settings'}
      <SettingsView {console} />
    {:else if console.place.view === 'batches'}
      <BatchesView {console} />
    {:else if console.place.view === 'hand'}
      <HandView {console} />
    {:else if console.place.view === 'pick'}
      <PickView {console} />
    {:else if console.place.view === 'drawers'}
      <DrawersView {console} />
    {:else}
      <HelpView {console} />
    {/if}
    {#if console.place.view === 'history' || console.place.view === 'drawer'}<AtHand {console} />{/if}
    {#if !alone}<BottomBar {console} />{/if}
    {#if console.jumping}<JumpLine {console} />{/if}
    <AskLine {console} />
    <AddSheet {console} />
    <QuestionBox {console} />
  </div>
  {#if console.place.view !== 'pick'}<ToastLine {console} />{/if}
  {#if console.session.entry === 'out'}<SignIn {console} over />{/if}
{:else if console.session.entry === 'out'}
  <main class="grid h-full place-items-center overflow-y-auto p-6" id="page" tabindex="-1"><SignIn {console} over={false} /></main>
{/if}
