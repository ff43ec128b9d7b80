<!-- Nothing yet: the next act is offered. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import Mark from '../parts/Mark.svelte';

  let { console }: { console: Console } = $props();
  const keeping = $derived(console.session.status?.capture.state === 'keeping');
</script>

<div class="mx-auto max-w-md px-6 pt-24 text-center" data-empty>
  <div class="flex justify-center"><Mark look={console.session.lamp.look} size={44} /></div>
  <h2 class="mt-4 text-lg font-semibold">Nothing was copied yet</h2>
  {#if keeping}
    <p class="mt-1.5">Copy something in any program: a sentence, a link, a picture, a file. It arrives here by itself.</p>
    <p class="facts mt-4">Or bring something in from a terminal: <code>yadori add "a first clip"</code></p>
  {:else}
    <p class="mt-1.5">{console.session.lamp.words}. {console.session.lamp.reason ?? ''}</p>
    <p class="facts mt-4">Something can be brought in from a terminal: <code>yadori add "a first clip"</code></p>
  {/if}
</div>
