<!-- The keys of the history, always in sight beside it. -->
<script lang="ts">
  const keys: [string, string][] = [
    ['↑ ↓', 'Choose'],
    ['Space', 'Unfold'],
    ['Enter', 'Take'],
    ['T', 'Take plain'],
    ['Del', 'Remove'],
    ['U', 'Undo'],
    ['Esc', 'Fold, let go'],
  ];
</script>

<h2 class="facts mb-1.5 font-medium">Keys</h2>
<dl class="grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-1">
  {#each keys as [key, what] (key)}
    <dt><kbd class="keycap">{key}</kbd></dt>
    <dd class="facts">{what}</dd>
  {/each}
</dl>
