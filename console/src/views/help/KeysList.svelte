<!-- The keys of the console, as its one table has them. -->
<script lang="ts">
  import { helpLines } from '../../state/keys';
</script>

<h2 class="font-semibold">Keys</h2>
<dl class="mt-1.5 grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1">
  {#each helpLines() as [key, what] (key)}
    <dt><kbd class="keycap">{key}</kbd></dt>
    <dd class="facts">{what}</dd>
  {/each}
</dl>
