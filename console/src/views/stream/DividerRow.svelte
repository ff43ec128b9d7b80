<!-- A heading among kept things. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import type { Commands } from '../../state/commands';
  import { shown } from '../../state/words';
  import TypedForm from '../parts/TypedForm.svelte';
  import { t } from '../../language/language.svelte';

  interface Props {
    console: Console;
    commands: Commands;
    id: string;
    place: number;
    total: number;
    top: number;
    dropsHere: boolean;
    onover: () => void;
  }
  let { console, commands, id, place, total, top, dropsHere, onover }: Props = $props();
  const { selection, sight } = $derived(console);
  const selected = $derived(selection.selected === id);
  const name = $derived((void console.list.version, console.list.drawer?.names.get(id) ?? ''));
  const drawer = $derived(console.place.view === 'drawer' ? console.place.id : '');

  async function rename(text: string): Promise<boolean> {
    if (text === name) return end();
    const done = await console.acts.run([], () => console.service.changeDivider(drawer, id, { name: text }), () => t('Renamed to {text}.', { text }));
    if (!done) return false;
    await console.drawerChanged();
    return end();
  }

  function end(): true {
    selection.panel = null;
    console.focusPage();
    return true;
  }

  function step(by: number): void {
    selection.select(id);
    commands.run(by < 0 ? 'moveUp' : 'moveDown', 10);
  }
</script>

<!-- svelte-ignore a11y_click_events_have_key_events, a11y_interactive_supports_focus -->
<div
  role="row"
  id="row-{id}"
  data-id={id}
  class={['rounded-box group absolute inset-x-1 flex h-11 items-center gap-2 border px-3 sm:inset-x-4', selected ? 'border-secondary/70 bg-base-200' : 'border-transparent', { 'drop-before': dropsHere, 'z-1': selected }]}
  style:top="{top}px"
  aria-posinset={place + 1}
  aria-setsize={total}
  aria-selected={selected}
  aria-label={t('Divider, {name}', { name })}
  tabindex={selected ? 0 : -1}
  draggable={!(selected && selection.panel)}
  ondragstart={(event) => {
    selection.dragged = [id];
    sight.dragging = true;
    event.dataTransfer?.setData('text/plain', '');
  }}
  ondragend={() => {
    selection.dragged = [];
    sight.dragging = sight.down = false;
    sight.release();
  }}
  ondragenter={onover}
  onclick={(event) => event.target instanceof Element && !event.target.closest('button, input') && selection.select(id)}
>
  <div role="gridcell" class="flex min-w-0 grow items-center gap-1">
    {#if selected && selection.panel === 'title'}
      <TypedForm {console} keeps="divider:{id}" label={t('Words of the divider')} value={name} onsave={rename} onleave={end} />
    {:else}
      <h2 class="min-w-0 grow truncate font-semibold" dir="auto">{shown(name)}</h2>
      {#if selected}
        <button type="button" class="btn btn-sm btn-ghost btn-square" aria-label={t('Move up')} onclick={() => step(-1)}>↑</button>
        <button type="button" class="btn btn-sm btn-ghost btn-square" aria-label={t('Move down')} onclick={() => step(1)}>↓</button>
        <button type="button" class="btn btn-sm btn-ghost" onclick={() => selection.open(id, 'title')}>{t('Rename')}</button>
        <button type="button" class="btn btn-sm btn-ghost text-error" onclick={() => void commands.removeDivider(id)}>{t('Remove')}</button>
      {/if}
    {/if}
  </div>
</div>
