<!-- Everything one can do to a clip, with the key for each act on its button. -->
<script lang="ts">
  import type { Row } from '../api/types';
  import type { Console } from '../state/console.svelte';
  import type { Panel } from '../state/history.svelte';
  import { mayBeFollowed } from '../state/words';

  let { console, row, inPlace = false }: { console: Console; row: Row; inPlace?: boolean } = $props();
  const history = $derived(console.history);
  const isText = $derived(row.kind === 'text' || row.kind === 'link');
  const link = $derived(row.kind === 'link' ? row.head.trim() : '');
  const toggle = (panel: Panel) => (history.panel = history.panel === panel ? null : panel);
</script>

<div class="mt-2 mb-2.5 flex flex-wrap items-center gap-0.5" role="group" aria-label="Acts">
  <button type="button" class="btn btn-sm btn-primary" onclick={() => void console.take(row.id, 'ready')}>
    Take <kbd class="keycap">Enter</kbd>
  </button>
  {#if row.kind !== 'image'}
    <button type="button" class="btn btn-sm btn-ghost px-2" onclick={() => void console.take(row.id, 'plain')}>Plain <kbd class="keycap">T</kbd></button>
  {/if}
  {#if row.fill_ins}
    <button type="button" class="btn btn-sm btn-ghost px-2" onclick={() => void console.take(row.id, 'copied')}>As copied</button>
  {/if}
  {#if isText}
    <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={history.panel === 'edit'} onclick={() => toggle('edit')}>
      Edit <kbd class="keycap">E</kbd>
    </button>
  {/if}
  <button type="button" class="btn btn-sm btn-ghost px-2" aria-pressed={row.kept != null} onclick={() => void console.pin([row.id])}>
    {row.kept ? 'Unpin' : 'Pin'} <kbd class="keycap">P</kbd>
  </button>
  <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={history.panel === 'drawer'} onclick={() => toggle('drawer')}>
    Drawer <kbd class="keycap">D</kbd>
  </button>
  <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={history.panel === 'title'} onclick={() => toggle('title')}>
    Title <kbd class="keycap">N</kbd>
  </button>
  <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={history.panel === 'color'} onclick={() => toggle('color')}>
    Color <kbd class="keycap">C</kbd>
  </button>
  {#if !inPlace}
    <button type="button" class="btn btn-sm btn-ghost px-2" onclick={() => void console.bringUp([row.id])}>Bring up <kbd class="keycap">B</kbd></button>
  {/if}
  {#if row.made_from}
    <button type="button" class="btn btn-sm btn-ghost px-2" aria-expanded={history.panel === 'compare'} onclick={() => toggle('compare')}>Original</button>
  {/if}
  {#if link && mayBeFollowed(link)}
    <a class="btn btn-sm btn-ghost px-2" href={link} target="_blank" rel="noopener noreferrer">Open</a>
  {/if}
  <button type="button" class="btn btn-sm btn-ghost text-error ml-auto px-2" onclick={() => void console.remove([row.id])}>
    Remove <kbd class="keycap">Del</kbd>
  </button>
</div>
