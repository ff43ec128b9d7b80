<!-- What is open among kept things, and how a drawer is changed. -->
<script lang="ts">
  import { saveBlob } from '../../border/files';
  import type { Console } from '../../state/console.svelte';
  import { count, shown } from '../../state/words';
  import ColorDots from '../parts/ColorDots.svelte';
  import Dot from '../parts/Dot.svelte';
  import KeyHint from '../parts/KeyHint.svelte';
  import TypedForm from '../parts/TypedForm.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { drawers, list, selection, acts, service } = $derived(console);
  const id = $derived(console.place.view === 'drawer' ? console.place.id : null);
  const drawer = $derived(id === null ? null : drawers.get(id));
  /** What is open, and in which drawer: another drawer has nothing open. */
  let open = $state<{ what: 'drawer' | 'divider' | 'group'; id: string } | null>(null);
  const change = $derived(open !== null && open.id === id && drawer ? open.what : null);
  const clips = $derived((void list.version, id === null ? list.favorites.clips : (list.drawer?.drawer === id ? list.drawer.clips : (drawer?.clips ?? 0))));
  const before = $derived(selection.selected !== null && console.sight.has(selection.selected) ? selection.selected : undefined);
  const others = $derived(drawers.all);
  const at = $derived(others.findIndex((one) => one.id === id));

  const toggle = (what: 'drawer' | 'divider' | 'group') => (open = change === what || id === null ? null : { what, id });
  function end(): true {
    open = null;
    console.focusPage();
    return true;
  }

  async function newDivider(name: string): Promise<boolean> {
    if (id === null || !(await acts.run([], () => service.newDivider(id, name, before), () => t('Made the divider {name}.', { name })))) return false;
    await console.drawerChanged();
    return end();
  }

  async function changed(what: { name?: string; group?: string }): Promise<boolean> {
    if (!drawer || id === null) return false;
    if ((what.name ?? drawer.name) === drawer.name && (what.group ?? drawer.group ?? '') === (drawer.group ?? '')) return end();
    return (await acts.run([], () => service.changeDrawer(id, what), () => 'The drawer was changed.')) !== null && end();
  }

  function move(by: number): void {
    const next = by < 0 ? others[at - 1] : others[at + 2];
    if (id !== null && at + by >= 0 && at + by < others.length) {
      void acts.run([], () => service.changeDrawer(id, { before: next?.id ?? '' }), () => t('Moved the drawer.'));
    }
  }

  async function removeDrawer(): Promise<void> {
    if (!drawer || id === null) return;
    const { name } = drawer;
    if (await acts.run([], () => service.removeDrawer(id), () => t('Removed the drawer {name}; its clips are favorites now.', { name }))) {
      console.go({ view: 'favorites', query: '' });
    }
  }

  async function save(): Promise<void> {
    if (!drawer) return;
    try {
      saveBlob(await service.exportedDrawer(drawer.id), `${drawer.name.replace(/[^\p{L}\p{N} _-]/gu, '-')}.json`);
    } catch (why) {
      console.messages.fail(why);
    }
  }
</script>

<div class="header border-base-300 border-b px-3 py-2 sm:px-6.5">
  <div class="mx-auto flex max-w-4xl flex-wrap items-center gap-x-3 gap-y-1 sm:pr-2 sm:pl-4.5">
    {#if drawer}<Dot color={drawer.color} size={10} />{/if}
    <h1 class="min-w-0 truncate text-base font-semibold" dir="auto">{shown(console.pageName)}</h1>
    {#if id === null || drawer}
      <span class="facts figures">{count(clips, 'clip')}{drawer?.group ? ` · ${shown(drawer.group)}` : ''}</span>
      <span class="facts hidden lg:inline">{#if clips > 1}<KeyHint of="moveDown" /> {t('moves, or drag')}{/if}</span>
    {/if}
    {#if drawer}
      <span class="ml-auto flex flex-wrap gap-1">
        <button type="button" class="btn btn-sm btn-ghost touch" aria-expanded={change === 'divider'} onclick={() => toggle('divider')}>{t('Add divider')}</button>
        <button type="button" class="btn btn-sm btn-ghost touch" aria-expanded={change === 'drawer' || change === 'group'} onclick={() => toggle('drawer')}>{t('Change drawer')}</button>
        <button type="button" class="btn btn-sm btn-ghost touch" onclick={() => void save()}>{t('Export')}</button>
      </span>
    {/if}
  </div>
  {#if change === 'divider' && id !== null}
    <div class="mx-auto mt-2 flex max-w-4xl sm:pl-4.5">
      <TypedForm {console} keeps="new-divider:{id}" label={t('Words of the divider')} placeholder={t('Its words')} save={before ? t('Add before the selected one') : t('Add at the end')} onsave={newDivider} onleave={end} />
    </div>
  {:else if change !== null && drawer && id !== null}
    <div class="mx-auto mt-2 flex max-w-4xl flex-wrap items-center gap-1.5 sm:pl-4.5">
      {#if change === 'drawer'}
        {#key id}<TypedForm {console} keeps="drawer:{id}" label={t('Name of the drawer')} value={drawer.name} onsave={(name) => changed({ name })} onleave={end} />{/key}
      {:else}
        {#key id}<TypedForm {console} keeps="group:{id}" label={t('Group')} placeholder={t('Under no group')} value={drawer.group ?? ''} empty onsave={(group) => changed({ group })} onleave={end} />{/key}
      {/if}
      <span class="flex w-full flex-wrap items-center gap-1">
        <button type="button" class="btn btn-sm btn-ghost touch" aria-pressed={change === 'group'} onclick={() => (open = { what: change === 'group' ? 'drawer' : 'group', id })}>{change === 'group' ? t('Name') : t('Group')}</button>
        <ColorDots {console} label={t('Color of the drawer')} value={drawer.color} onleave={end} onpick={(color) => void acts.run([], () => service.changeDrawer(id, { color: color ?? 'none' }), () => t('Colored the drawer.'))} />
        <button type="button" class="btn btn-sm btn-ghost touch" disabled={at <= 0} onclick={() => move(-1)}>{t('Move up')}</button>
        <button type="button" class="btn btn-sm btn-ghost touch" disabled={at < 0 || at >= others.length - 1} onclick={() => move(1)}>{t('Move down')}</button>
        <button type="button" class="btn btn-sm btn-ghost text-error touch ml-auto" onclick={() => void removeDrawer()}>{t('Remove drawer')}</button>
      </span>
    </div>
  {/if}
</div>
