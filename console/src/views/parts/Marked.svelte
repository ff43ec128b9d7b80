<!-- A text with its matches marked. -->
<script lang="ts">
  import type { Excerpt } from '../../api/types';
  import { pieces } from '../../state/query';

  let { excerpt }: { excerpt: Excerpt } = $props();
</script>

{#if excerpt.cut}…{/if}{#each pieces(excerpt.text.replace(/\s/g, ' '), excerpt.marks) as piece, n (n)}{#if piece.marked}<mark
      class="match">{piece.text}</mark
    >{:else}{piece.text}{/if}{/each}
