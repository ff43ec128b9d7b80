<!-- The key of a command, as it stands on a button. A key that is a letter is shown only while letters act. -->
<script lang="ts">
  import { getContext } from 'svelte';

  import type { Console } from '../../state/console.svelte';
  import { isSingle, type Command } from '../../state/keys.svelte';

  let { of, soft = false }: { of: Command; soft?: boolean } = $props();
  const { keys } = getContext<Console>('console');
  const shown = $derived(keys.shown(of));
</script>

{#if shown}<kbd class={['keycap', { soft, single: isSingle(of) }]} aria-hidden="true">{shown}</kbd>{/if}
