<!-- What can be open in an unfolded clip: its title, its color, a drawer for it, the editor, its original. -->
<script lang="ts">
  import type { Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import ColorDots from '../parts/ColorDots.svelte';
  import TypedForm from '../parts/TypedForm.svelte';
  import Comparison from './Comparison.svelte';
  import DrawerPicker from './DrawerPicker.svelte';
  import Editor from './Editor.svelte';
  import SendPanel from './SendPanel.svelte';
  import TidyPanel from './TidyPanel.svelte';
  import { t } from '../../language/language.svelte';

  let { console, row }: { console: Console; row: Row } = $props();
  const { selection, acts } = $derived(console);
  const panel = $derived(selection.panel);

  function end(): true {
    selection.panel = null;
    console.focusPage();
    return true;
  }

  async function title(text: string): Promise<boolean> {
    if (text === (row.title ?? '')) return end();
    const done = await acts.run([row.id], () => console.service.title(row.id, text), () => (text ? t('Titled “{text}”.', { text: text.slice(0, 60) }) : t('The title was taken away.')));
    return done !== null && end();
  }

  async function put(drawer: string, name: string): Promise<boolean> {
    return (await acts.put([row.id], drawer, name)) !== null && end();
  }
</script>

{#if panel === 'title'}
  <div class="mt-2 flex max-w-xl">
    <TypedForm {console} keeps="title:{row.id}" label={t('Title')} placeholder={t('A name to find it by')} value={row.title ?? ''} most={200} empty onsave={title} onleave={end} />
  </div>
{:else if panel === 'color'}
  <div class="mt-2">
    <ColorDots {console} label={t('Color of this clip')} value={row.color ?? null} focused onleave={end} onpick={(color) => void acts.paint([row.id], color).then((done) => done && end())} />
  </div>
{:else if panel === 'drawer'}
  <DrawerPicker {console} label={t('Which drawer for this clip')} onpick={put} onend={end} />
{:else if panel === 'tidy'}
  <TidyPanel {console} {row} onend={end} />
{:else if panel === 'edit'}
  <Editor {console} {row} onend={end} />
{:else if panel === 'send'}
  <SendPanel {console} {row} onend={end} />
{:else if panel === 'compare'}
  <Comparison {console} {row} />
{/if}
