<!-- The drawers in their order, under their groups; found by typing when there are many. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import Dot from '../parts/Dot.svelte';

  let { console }: { console: Console } = $props();
  let text = $state('');
  const many = $derived(console.kept.drawers.length > 10);
  const shown = $derived(console.kept.called(many ? text : ''));
  let dragged = $state<string | null>(null);
  let over = $state<string | null>(null);

  function drop(): void {
    const [id, before] = [dragged, over];
    dragged = over = null;
    if (id && before && id !== before) void console.acts.run(console.service.changeDrawer(id, { before }), () => 'Moved the drawer.');
  }

  function onKey(event: KeyboardEvent, n: number): void {
    const command = console.keys.command(event, 'drawers');
    if (!command) return;
    event.preventDefault();
    event.stopPropagation();
    const own = shown[n];
    const before = command === 'moveUp' ? shown[n - 1] : shown[n + 2];
    if (own && (before || command === 'moveDown')) {
      void console.acts.run(console.service.changeDrawer(own.id, { before: before?.id ?? '' }), () => 'Moved the drawer.');
    }
  }
</script>

{#if many}
  <input
    bind:value={text}
    class="border-base-300 bg-base-100 mx-1 mb-1 h-7 rounded-md border px-2 text-xs"
    placeholder="Find a drawer"
    aria-label="Find a drawer"
    onkeydown={(event) => {
      event.stopPropagation();
      const first = shown[0];
      const command = console.keys.command(event, 'form');
      if (command === 'confirm' && first) console.go({ view: 'drawer', id: first.id });
      if (command === 'leave') text = '';
    }}
  />
{/if}
<ul class="min-h-0 overflow-y-auto">
  {#each shown as one, n (one.id)}
    {@const open = console.place.view === 'drawer' && console.place.id === one.id}
    {#if one.group && one.group !== shown[n - 1]?.group}
      <li class="facts truncate px-2.5 pt-2 pb-0.5">{one.group}</li>
    {/if}
    <li class={[over === one.id && dragged && 'drop-before']} ondragenter={() => (over = one.id)} ondragover={(event) => event.preventDefault()} ondrop={drop}>
      <a
        href="#/drawer/{one.id}"
        aria-current={open ? 'page' : undefined}
        class={['flex items-center gap-2.5 rounded-lg px-2.5 py-1', open ? 'bg-base-100 font-medium' : 'hover:bg-base-300/50']}
        title="{one.name} (Alt ↑ ↓ moves it)"
        onkeydown={(event) => onKey(event, n)}
        ondragstart={() => (dragged = one.id)}
        ondragend={() => (dragged = null)}
      >
        <span class="grid w-[15px] place-items-center"><Dot color={one.color} /></span>
        <span class="grow truncate">{one.name}</span>
        <span class="facts figures">{one.clips}</span>
      </a>
    </li>
  {/each}
  {#if console.kept.drawers.length === 0}<li class="facts px-2.5 py-1">None yet</li>{/if}
</ul>

<style>
  .drop-before {
    box-shadow: 0 -2px 0 var(--color-primary);
  }
</style>
