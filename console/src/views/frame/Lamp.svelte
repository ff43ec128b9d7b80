<!-- The lamp: lit while copies are kept, dark and crossed when not, red when something is broken. -->
<script lang="ts">
  let { look, breaths = 0 }: { look: 'lit' | 'dark' | 'broken'; breaths?: number } = $props();
</script>

{#key breaths}
  <span
    class={['relative inline-block size-3 shrink-0 rounded-full', { 'lamp-breath': breaths > 0 }]}
    class:bg-accent={look === 'lit'}
    class:ring-3={look === 'lit'}
    class:ring-accent={look === 'lit'}
    class:halo={look === 'lit'}
    class:bg-error={look === 'broken'}
    class:dark-lamp={look === 'dark'}
    aria-hidden="true"
    data-lamp={look}
  ></span>
{/key}

<style>
  .halo {
    --tw-ring-color: color-mix(in oklch, var(--color-accent) 35%, transparent);
  }
  .dark-lamp {
    border: 1.5px solid var(--soft);
  }
  .dark-lamp::after {
    content: '';
    position: absolute;
    left: -3px;
    right: -3px;
    top: 50%;
    border-top: 1.5px solid var(--soft);
    transform: rotate(-45deg);
  }
</style>
