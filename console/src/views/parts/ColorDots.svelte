<!-- The colors a person can give something, and none. Arrow keys go from one to the next. -->
<script lang="ts">
  import type { Color } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import Dot from './Dot.svelte';
  import { colorName } from '../../state/words';
  import { t } from '../../language/language.svelte';

  interface Props {
    console: Console;
    label: string;
    value: Color | null | undefined;
    /** It is opened by a key: the focus goes there. */
    focused?: boolean;
    onpick: (color: Color | null) => void;
    onleave: () => void;
  }
  let { console, label, value, focused = false, onpick, onleave }: Props = $props();
  const colors: Color[] = ['blue', 'green', 'amber', 'red', 'violet', 'teal'];
  let group = $state<HTMLElement>();

  function onKey(event: KeyboardEvent): void {
    const command = console.keys.command(event, 'chart', 'form');
    if (command === 'leave') {
      event.preventDefault();
      event.stopPropagation();
      return onleave();
    }
    const by = command === 'nextBar' ? 1 : command === 'previousBar' ? -1 : 0;
    if (by === 0) return;
    event.preventDefault();
    event.stopPropagation();
    const all = [...(group?.querySelectorAll<HTMLElement>('button') ?? [])];
    const at = all.indexOf(event.target as HTMLElement);
    all[(at + by + all.length) % all.length]?.focus();
  }

  function focus(node: HTMLElement): void {
    if (focused) (node.querySelector<HTMLElement>('[aria-pressed=true]') ?? node.querySelector<HTMLElement>('button'))?.focus();
  }
</script>

<!-- svelte-ignore a11y_interactive_supports_focus -->
<div class="flex flex-wrap items-center gap-1" role="toolbar" aria-label={label} bind:this={group} onkeydown={onKey} {@attach focus}>
  {#each colors as color (color)}
    <button
      type="button"
      class={['btn btn-sm btn-ghost btn-square touch', { pressed: value === color }]}
      aria-pressed={value === color}
      aria-label={colorName(color)}
      title={colorName(color)}
      onclick={() => onpick(color)}><Dot {color} /></button
    >
  {/each}
  <button type="button" class={['btn btn-sm btn-ghost touch', { pressed: value === null }]} aria-pressed={value === null} onclick={() => onpick(null)}>{t('None')}</button>
</div>
