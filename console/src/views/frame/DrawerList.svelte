<!-- The drawers in their order, under their groups; found by typing when there are many. One stop of the Tab key: arrows
     go from one to the next. Clips are dropped into one, drawers before one or at the end. -->
<script lang="ts">
  import { flushSync } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import type { Command } from '../../state/keys.svelte';
  import { shown } from '../../state/words';
  import Dot from '../parts/Dot.svelte';
  import { t } from '../../language/language.svelte';

  let { console, labelledby }: { console: Console; labelledby: string } = $props();
  const { drawers, selection, sight, acts, service } = $derived(console);
  let text = $state('');
  let at = $state(0);
  let list = $state<HTMLElement>();
  const many = $derived(drawers.all.length > 10);
  const found = $derived(drawers.called(many ? text : ''));
  const open = $derived(console.place.view === 'drawer' ? console.place.id : null);
  const stop = $derived(Math.max(0, found.some((one) => one.id === open) && at < 0 ? found.findIndex((one) => one.id === open) : Math.min(at, found.length - 1)));
  let dragged = $state<string | null>(null);
  let over = $state<string | null>(null);

  const move = (id: string, before: string) => void acts.run([], () => service.changeDrawer(id, { before }), () => t('Moved the drawer.'));

  function drop(event: DragEvent, before: string): void {
    event.preventDefault();
    event.stopPropagation();
    const [drawer, clips] = [dragged, selection.dragged];
    dragged = over = null;
    if (drawer !== null) {
      if (drawer !== before) move(drawer, before);
    } else if (before !== '' && clips.length > 0) void acts.put(clips, before, drawers.get(before)?.name ?? '');
  }
  const takes = $derived(dragged !== null || sight.dragging);

  function onKey(event: KeyboardEvent, n: number): void {
    const command = console.keys.command(event, 'drawers');
    if (!command) return;
    event.preventDefault();
    event.stopPropagation();
    const own = found[n];
    const steps: Partial<Record<Command, number>> = { next: n + 1, previous: n - 1, first: 0, last: found.length - 1 };
    const to = steps[command];
    if (to !== undefined) {
      at = Math.max(0, Math.min(found.length - 1, to));
      flushSync();
      list?.querySelectorAll<HTMLElement>('a')[at]?.focus();
    } else if (own) {
      const before = command === 'moveUp' ? found[n - 1] : found[n + 2];
      const isLast = command === 'moveDown' && n < found.length - 1;
      if (before || isLast) {
        at = n + (command === 'moveUp' ? -1 : 1);
        move(own.id, before?.id ?? '');
      }
    }
  }
</script>

{#if many}
  <input
    bind:value={text}
    class="field mx-1 mb-1 h-7 shrink-0 text-xs"
    placeholder={t('Find a drawer')}
    aria-label={t('Find a drawer')}
    autocomplete="off"
    onkeydown={(event) => {
      event.stopPropagation();
      const first = found[0];
      const command = console.keys.command(event, 'form');
      if (command === 'confirm' && first) console.go({ view: 'drawer', id: first.id, query: '' });
      if (command === 'leave') text = '';
    }}
  />
{/if}
<ul class="min-h-0 overflow-y-auto" aria-labelledby={labelledby} bind:this={list} data-drawers>
  {#each found as one, n (one.id)}
    {#if one.group && one.group !== found[n - 1]?.group}
      <li class="facts truncate px-2.5 pt-2 pb-0.5">{shown(one.group)}</li>
    {/if}
    <li
      class={[over === one.id && takes && (dragged ? 'drop-before' : 'drop-here')]}
      ondragenter={() => (over = one.id)}
      ondragover={(event) => takes && event.preventDefault()}
      ondrop={(event) => drop(event, one.id)}
    >
      <a
        href="#/drawer/{one.id}"
        aria-current={open === one.id ? 'page' : undefined}
        class={['touch flex items-center gap-2.5 rounded-lg px-2.5 py-1', open === one.id ? 'current bg-base-100 font-medium' : 'hover:bg-base-300/50']}
        title={t('{name} (Alt ↑ ↓ moves it)', { name: shown(one.name) })}
        tabindex={n === stop ? 0 : -1}
        onfocus={() => (at = n)}
        onkeydown={(event) => onKey(event, n)}
        ondragstart={() => (dragged = one.id)}
        ondragend={() => (dragged = over = null)}
        data-drawer={one.id}
      >
        <span class="grid w-[15px] shrink-0 place-items-center"><Dot color={one.color} /></span>
        <span class="grow truncate" dir="auto">{shown(one.name)}</span>
        <span class="facts figures">{one.clips}</span>
      </a>
    </li>
  {/each}
  {#if dragged}
    <li class={['soft rounded-lg border border-dashed px-2.5 py-1', over === '' ? 'border-primary' : 'border-base-content/30']} ondragenter={() => (over = '')} ondragover={(event) => event.preventDefault()} ondrop={(event) => drop(event, '')} data-last-drawer>{t('To the end')}</li>
  {/if}
  {#if drawers.loaded && drawers.all.length === 0}<li class="facts px-2.5 py-1">{t('None yet')}</li>{/if}
</ul>
