<!-- The key of a command, as it stands on a button. -->
<script lang="ts">
  import { KEYS, type Command } from '../../state/keys';

  let { of, soft = false }: { of: Command; soft?: boolean } = $props();
</script>

<kbd class={['keycap', { soft }]}>{KEYS[of].shown}</kbd>
