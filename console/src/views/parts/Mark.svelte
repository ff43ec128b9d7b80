<!-- The mark: a small house with a lit window. The lamp shows in words elsewhere what it shows here. -->
<script lang="ts">
  let { look = 'lit', size = 22 }: { look?: 'lit' | 'dark' | 'broken'; size?: number } = $props();
  const window = $derived(look === 'lit' ? 'fill-accent' : look === 'broken' ? 'fill-error' : 'fill-base-300');
</script>

<svg viewBox="0 0 32 32" width={size} height={size} aria-hidden="true">
  <path d="M16 4 3 14.5V27a1.5 1.5 0 0 0 1.5 1.5h23A1.5 1.5 0 0 0 29 27V14.5z" class="fill-primary" />
  <rect x="12" y="16" width="8" height="8" rx="1.5" class={window} />
</svg>
