<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import Mark from '../parts/Mark.svelte';

  let { console }: { console: Console } = $props();
</script>

<main class="grid h-full place-items-center p-6">
  <div class="max-w-md">
    <Mark look="dark" size={40} />
    <h1 class="mt-4 text-xl font-semibold">Sign in with a link</h1>
    {#if console.session.problem}
      <p class="text-error mt-2" role="alert">That did not work: {console.session.problem}.</p>
    {/if}
    <p class="mt-2">
      What you copy is yours, so this page opens with a link that only your own terminal can make. Run this there, and open
      what it prints within a minute:
    </p>
    <pre class="bg-base-200 border-base-300 mt-3 rounded-lg border px-3 py-2 text-sm"><code>yadori console</code></pre>
    <p class="facts mt-3">
      <code>yadori console --open</code> opens it for you. A sign-in lasts until the service ends.
    </p>
  </div>
</main>
