<!-- The keys of the console. -->
<script lang="ts">
  const keys: [string, string][] = [
    ['/', 'Search; ↑ ↓ choose, Enter takes, Tab completes'],
    ['↑ ↓', 'Choose'],
    ['Space', 'Unfold'],
    ['Enter', 'Take'],
    ['T', 'Take as plain text'],
    ['P', 'Pin, or unpin'],
    ['D', 'Put into a drawer'],
    ['E', 'Edit'],
    ['N', 'Title'],
    ['C', 'Color'],
    ['B', 'Bring to the top'],
    ['X', 'Choose several; Shift ↑ ↓ for a range'],
    ['Del', 'Remove'],
    ['U', 'Undo; Shift U makes it again'],
    ['G then H F I', 'Go to history, favorites, insight'],
    ['1 … 9', 'Take the favorite f1 … f9'],
    ['?', 'This page'],
    ['Esc', 'Fold, let go, leave'],
  ];
</script>

<h2 class="font-semibold">Keys</h2>
<dl class="mt-1.5 grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1">
  {#each keys as [key, what] (key)}
    <dt><kbd class="keycap">{key}</kbd></dt>
    <dd class="facts">{what}</dd>
  {/each}
</dl>
