<!-- A text, with signs for the characters that one would not see, or that turn others round. -->
<script lang="ts">
  import { signed } from '../../state/words';

  let { text }: { text: string } = $props();
</script>

{#each signed(text) as piece, n (n)}{#if piece.name}<span class="sign" title={piece.name}>{piece.text}</span>{:else}{piece.text}{/if}{/each}
