<!-- A color as a dot; a ring when there is none. -->
<script lang="ts">
  import type { Color } from '../../api/types';

  let { color, size = 8 }: { color: Color | null | undefined; size?: number } = $props();
</script>

<span
  class={['inline-block shrink-0 rounded-full', color ? `dot-${color}` : 'border-base-content/40 border']}
  style:width="{size}px"
  style:height="{size}px"
  aria-hidden="true"
></span>
