<!-- What is open among kept things, and how a drawer is changed. -->
<script lang="ts">
  import type { Drawer } from '../../api/types';
  import { saveBlob } from '../../border/files';
  import type { Console } from '../../state/console.svelte';
  import { count } from '../../state/words';
  import ColorDots from '../parts/ColorDots.svelte';
  import Dot from '../parts/Dot.svelte';
  import KeyHint from '../parts/KeyHint.svelte';

  /** `before`: what a new divider comes before; at the end without it. */
  let { console, drawer, before }: { console: Console; drawer: Drawer | null; before: string | undefined } = $props();
  const kept = $derived(console.kept);
  const place = $derived(console.place.view === 'drawer' ? console.place.id : null);
  let change = $state<'drawer' | 'divider' | null>(null);

  $effect(() => {
    void place;
    change = null;
  });

  async function newDivider(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const form = event.currentTarget as HTMLFormElement;
    const name = String(new FormData(form).get('name') ?? '').trim();
    if (!name || place === null) return;
    if (await console.acts.run(console.service.newDivider(place, name, before), () => `Made the divider ${name}.`)) change = null;
  }

  async function changeDrawer(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (!drawer) return;
    const data = new FormData(event.currentTarget as HTMLFormElement);
    const name = String(data.get('name') ?? '').trim();
    const group = String(data.get('group') ?? '').trim();
    const changed: { name?: string; group?: string } = {};
    if (name !== drawer.name) changed.name = name;
    if (group !== (drawer.group ?? '')) changed.group = group;
    if (Object.keys(changed).length === 0) return void (change = null);
    if (await console.acts.run(console.service.changeDrawer(drawer.id, changed), () => 'The drawer was changed.')) change = null;
  }

  async function removeDrawer(): Promise<void> {
    if (!drawer) return;
    const { name } = drawer;
    if (await console.acts.run(console.service.removeDrawer(drawer.id), () => `Removed the drawer ${name}; its clips are favorites now.`)) {
      console.go({ view: 'favorites' });
    }
  }

  async function save(): Promise<void> {
    if (!drawer) return;
    try {
      saveBlob(await console.service.exportedDrawer(drawer.id), `${drawer.name.replace(/[^\p{L}\p{N} _-]/gu, '-')}.json`);
    } catch (why) {
      console.messages.fail(why);
    }
  }
</script>

<header class="border-base-300 border-b px-4 py-3 sm:px-6.5">
  <div class="mx-auto flex max-w-4xl flex-wrap items-center gap-x-3 gap-y-1 sm:pr-2 sm:pl-4.5">
    {#if drawer}<Dot color={drawer.color} size={10} />{/if}
    <h1 class="text-base font-semibold">{place === null ? 'Favorites' : (drawer?.name ?? 'Drawer')}</h1>
    <span class="facts figures">{count(place === null ? kept.total : (drawer?.clips ?? 0), 'clip')}{drawer?.group ? ` · ${drawer.group}` : ''}</span>
    <span class="facts hidden lg:inline">
      {#if kept.items.length > 1}<KeyHint of="moveDown" /> moves, or drag{/if}
    </span>
    {#if place !== null}
      <span class="ml-auto flex flex-wrap gap-1">
        <button type="button" class="btn btn-sm btn-ghost" aria-expanded={change === 'divider'} onclick={() => (change = change === 'divider' ? null : 'divider')}>Add divider</button>
        <button type="button" class="btn btn-sm btn-ghost" aria-expanded={change === 'drawer'} onclick={() => (change = change === 'drawer' ? null : 'drawer')}>Change drawer</button>
        <button type="button" class="btn btn-sm btn-ghost" onclick={() => void save()}>Export</button>
      </span>
    {/if}
  </div>
  {#if change === 'divider'}
    <form class="mx-auto mt-2 flex max-w-4xl items-center gap-1.5 sm:pl-4.5" onsubmit={(event) => void newDivider(event)}>
      <input name="name" class="border-base-content/25 rounded-field h-8 max-w-sm grow border bg-transparent px-2.5" maxlength="80" placeholder="Its words" aria-label="Words of the divider" {@attach (node) => node.focus()} />
      <button type="submit" class="btn btn-sm btn-soft">Add {before ? 'before the selected one' : 'at the end'}</button>
    </form>
  {:else if change === 'drawer' && drawer}
    <form class="mx-auto mt-2 flex max-w-4xl flex-wrap items-center gap-1.5 sm:pl-4.5" onsubmit={(event) => void changeDrawer(event)}>
      <input name="name" class="border-base-content/25 rounded-field h-8 w-48 border bg-transparent px-2.5" maxlength="80" value={drawer.name} aria-label="Name" {@attach (node) => node.focus()} />
      <input name="group" class="border-base-content/25 rounded-field h-8 w-40 border bg-transparent px-2.5" maxlength="80" value={drawer.group ?? ''} placeholder="Group" aria-label="Group" list="groups" />
      <datalist id="groups">{#each new Set(kept.drawers.map((one) => one.group).filter(Boolean)) as group (group)}<option value={group}></option>{/each}</datalist>
      <button type="submit" class="btn btn-sm btn-soft">Save</button>
      <ColorDots value={drawer.color} onpick={(color) => void console.acts.run(console.service.changeDrawer(drawer.id, { color: color ?? 'none' }), () => 'Colored.')} />
      <button type="button" class="btn btn-sm btn-ghost text-error ml-auto" onclick={() => void removeDrawer()}>Remove drawer</button>
    </form>
  {/if}
</header>
