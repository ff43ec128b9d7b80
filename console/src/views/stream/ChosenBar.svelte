<!-- Acts on several clips at once. It lies below the list: choosing moves no row. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { saveBlob } from '../../border/files';
  import { count } from '../../state/words';
  import ColorDots from '../parts/ColorDots.svelte';
  import DrawerPicker from '../clip/DrawerPicker.svelte';
  import KeyHint from '../parts/KeyHint.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { selection, acts } = $derived(console);
  const ids = $derived(selection.chosenInOrder);

  async function save(): Promise<void> {
    if (acts.tooMany(ids)) return;
    try {
      saveBlob(await console.service.exportedClips(ids), 'yadori-export.zip');
    } catch (why) {
      console.messages.fail(why);
    }
  }

  async function join(): Promise<void> {
    if (acts.tooMany(ids)) return;
    try {
      const { chars } = await console.service.join(ids, {});
      selection.unchoose();
      console.messages.tell(t('Joined {clips} to one text of {characters}; it is the newest clip.', { clips: count(ids.length, 'clip'), characters: count(chars, 'character') }));
    } catch (why) {
      console.messages.fail(why);
    }
  }

  function close(): void {
    selection.several = null;
    console.focusPage();
  }
  const toggle = (panel: 'drawer' | 'color') => (selection.several = selection.several === panel ? null : panel);
</script>

{#if ids.length > 0}
  <section class="bar border-base-content/25 bg-base-100 rounded-box absolute inset-x-2 bottom-2 z-10 max-h-full overflow-y-auto border px-3 py-1.5 shadow-lg" aria-label={t('Chosen clips')} data-chosen={ids.length}>
    {#if selection.several === 'drawer'}
      <DrawerPicker {console} label={t('Which drawer for {clips}', { clips: count(ids.length, 'clip') })} onend={close} onpick={async (drawer, name) => (await acts.put(ids, drawer, name)) !== null && (close(), true)} />
    {:else if selection.several === 'color'}
      <ColorDots label={t('Color of {clips}', { clips: count(ids.length, 'clip') })} value={undefined} focused onleave={close} {console} onpick={(color) => void acts.paint(ids, color).then((done) => done && close())} />
    {/if}
    <div class="flex flex-wrap items-center gap-1">
      <span class="figures mr-2 font-medium" role="status">{t('{clips} chosen', { clips: count(ids.length, 'clip') })}</span>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void acts.pin(ids)}>{t('Pin')} <KeyHint of="pin" /></button>
      <button type="button" class="btn btn-sm btn-ghost" aria-expanded={selection.several === 'drawer'} onclick={() => toggle('drawer')}>{t('Drawer')} <KeyHint of="drawer" /></button>
      <button type="button" class="btn btn-sm btn-ghost" aria-expanded={selection.several === 'color'} onclick={() => toggle('color')}>{t('Color')} <KeyHint of="color" /></button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void acts.bringUp(ids)}>{t('Bring up')} <KeyHint of="bringUp" /></button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void console.batches.add(ids)}>{t('Batch')} <KeyHint of="addToBatch" /></button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void join()}>{t('Join')}</button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void save()}>{t('Export')}</button>
      <button type="button" class="btn btn-sm btn-ghost text-error" onclick={() => void acts.remove(ids)}>{t('Remove')} <KeyHint of="remove" /></button>
      <button type="button" class="btn btn-sm btn-ghost ml-auto" onclick={() => { selection.unchoose(); console.focusPage(); }}>{t('Let go')} <KeyHint of="leave" /></button>
    </div>
  </section>
{/if}
