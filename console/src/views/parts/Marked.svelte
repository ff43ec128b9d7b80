<!-- A text with its matches marked. -->
<script lang="ts">
  import type { Excerpt } from '../../api/types';
  import { pieces } from '../../state/query';
  import { shown } from '../../state/words';

  let { excerpt }: { excerpt: Excerpt } = $props();
</script>

{#if excerpt.cut}…{/if}{#each pieces(excerpt.text.replace(/\s/g, ' '), excerpt.marks) as piece, n (n)}{#if piece.marked}<mark
      class="match">{shown(piece.text)}</mark
    >{:else}{shown(piece.text)}{/if}{/each}
