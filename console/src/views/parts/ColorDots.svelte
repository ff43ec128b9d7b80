<!-- The colors a person can give something, and none. -->
<script lang="ts">
  import type { Color } from '../../api/types';
  import Dot from './Dot.svelte';

  let { value, onpick }: { value: Color | null | undefined; onpick: (color: Color | null) => void } = $props();
  const colors: Color[] = ['blue', 'green', 'amber', 'red', 'violet', 'teal'];
</script>

<div class="flex items-center gap-1" role="group" aria-label="Color">
  {#each colors as color (color)}
    <button
      type="button"
      class={['btn btn-sm btn-ghost btn-square', value === color && 'bg-base-300']}
      aria-pressed={value === color}
      aria-label={color}
      title={color}
      onclick={() => onpick(color)}><Dot {color} /></button
    >
  {/each}
  <button type="button" class="btn btn-sm btn-ghost" aria-pressed={!value} onclick={() => onpick(null)}>None</button>
</div>
