<!-- Everything one can do to a clip, with the key for each act on its button. -->
<script lang="ts">
  import type { Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import type { Panel } from '../../state/selection.svelte';
  import { mayBeFollowed } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';

  let { console, row, inPlace = false }: { console: Console; row: Row; inPlace?: boolean } = $props();
  const selection = $derived(console.selection);
  const isText = $derived(row.kind === 'text' || row.kind === 'link');
  const link = $derived(row.kind === 'link' ? row.head.trim() : '');
  const toggle = (panel: Panel) => (selection.panel = selection.panel === panel ? null : panel);
</script>

<div class="mt-2 mb-2.5 flex flex-wrap items-center gap-0.5" role="group" aria-label="Acts">
  <button type="button" class="btn btn-sm btn-primary" onclick={() => void console.acts.take(row.id, 'ready')}>
    Take <KeyHint of="take" />
  </button>
  {#if row.kind !== 'image'}
    <button type="button" class="btn btn-sm btn-ghost px-2" onclick={() => void console.acts.take(row.id, 'plain')}>Plain <KeyHint of="takePlain" /></button>
  {/if}
  {#if row.fill_ins}
    <button type="button" class="btn btn-sm btn-ghost px-2" onclick={() => void console.acts.take(row.id, 'copied')}>As copied</button>
  {/if}
  {#if isText}
    <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={selection.panel === 'edit'} onclick={() => toggle('edit')}>
      Edit <KeyHint of="edit" />
    </button>
  {/if}
  <button type="button" class="btn btn-sm btn-ghost px-2" aria-pressed={row.kept != null} onclick={() => void console.acts.pin([row.id])}>
    {row.kept ? 'Unpin' : 'Pin'} <KeyHint of="pin" />
  </button>
  <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={selection.panel === 'drawer'} onclick={() => toggle('drawer')}>
    Drawer <KeyHint of="drawer" />
  </button>
  <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={selection.panel === 'title'} onclick={() => toggle('title')}>
    Title <KeyHint of="title" />
  </button>
  <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={selection.panel === 'color'} onclick={() => toggle('color')}>
    Color <KeyHint of="color" />
  </button>
  {#if !inPlace}
    <button type="button" class="btn btn-sm btn-ghost px-2" onclick={() => void console.acts.bringUp([row.id])}>Bring up <KeyHint of="bringUp" /></button>
  {/if}
  {#if row.made_from}
    <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={selection.panel === 'compare'} onclick={() => toggle('compare')}>Original</button>
  {/if}
  {#if link && mayBeFollowed(link)}
    <a class="btn btn-sm btn-ghost px-2" href={link} target="_blank" rel="noopener noreferrer">Open</a>
  {/if}
  <button type="button" class="btn btn-sm btn-ghost text-error ml-auto px-2" onclick={() => void console.acts.remove([row.id])}>
    Remove <KeyHint of="remove" />
  </button>
</div>
