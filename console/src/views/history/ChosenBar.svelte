<!-- Acts on several clips at once. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { saveBlob } from '../../border/files';
  import { count } from '../../state/words';
  import ColorDots from '../parts/ColorDots.svelte';
  import DrawerPicker from '../clip/DrawerPicker.svelte';
  import KeyHint from '../parts/KeyHint.svelte';

  let { console }: { console: Console } = $props();
  const { list, selection } = $derived(console);
  const ids = $derived(list.shown.ids.filter((id) => selection.chosen.has(id)));
  let open = $state<'drawer' | 'color' | null>(null);

  async function save(): Promise<void> {
    try {
      saveBlob(await console.service.exportedClips(ids), 'yadori-export.zip');
    } catch (why) {
      console.messages.fail(why);
    }
  }
  const letGo = () => selection.choose([...selection.chosen], false);
</script>

{#if ids.length > 0}
  <section class="border-base-300 bg-base-200 border-b px-4 py-2 sm:px-6.5" aria-label="Chosen clips" data-chosen={ids.length}>
    <div class="mx-auto flex max-w-4xl flex-wrap items-center gap-1 sm:pl-4.5">
      <span class="figures mr-2 font-medium">{count(ids.length, 'clip')} chosen</span>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void console.acts.pin(ids)}>Pin</button>
      <button type="button" class="btn btn-sm btn-ghost" aria-expanded={open === 'drawer'} onclick={() => (open = open === 'drawer' ? null : 'drawer')}>Drawer</button>
      <button type="button" class="btn btn-sm btn-ghost" aria-expanded={open === 'color'} onclick={() => (open = open === 'color' ? null : 'color')}>Color</button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void console.acts.bringUp(ids)}>Bring up</button>
      <button type="button" class="btn btn-sm btn-ghost" onclick={() => void save()}>Export</button>
      <button type="button" class="btn btn-sm btn-ghost text-error" onclick={() => void console.acts.remove(ids)}>Remove <KeyHint of="remove" /></button>
      <button type="button" class="btn btn-sm btn-ghost ml-auto" onclick={letGo}>Let go <KeyHint of="leave" /></button>
      {#if open === 'drawer'}
        <div class="w-full"><DrawerPicker {console} {ids} onend={() => (open = null)} /></div>
      {:else if open === 'color'}
        <div class="w-full"><ColorDots value={undefined} onpick={(color) => void console.acts.paint(ids, color).then(() => (open = null))} /></div>
      {/if}
    </div>
  </section>
{/if}
