<!-- The sign of a kind. One path each: a list draws many of them with every keystroke. -->
<script lang="ts">
  import type { Kind } from '../../api/types';
  import { t } from '../../language/language.svelte';

  let { kind }: { kind: Kind } = $props();
  const signs = $derived({
    text: { path: 'M2 3.5h10M2 7h6.5M2 10.5h8.5', tone: 'bg-base-200 soft', word: t('Text') },
    link: { path: 'M5.5 4H4a3 3 0 0 0 0 6h1.5M8.5 4H10a3 3 0 0 1 0 6H8.5M4.75 7h4.5', tone: 'tone-link', word: t('Link') },
    image: { path: 'M1.5 11.5 5.25 4l2.5 4.5L9 6.75l3.5 4.75zM10.75 3.25v.01', tone: 'tone-image', word: t('Picture') },
    files: { path: 'M4.5 1.75h4L11.75 5v5.25H4.5zM8.25 1.75V5h3.5M2.25 4.5v7.75H9', tone: 'tone-files', word: t('Files') },
  });
  const sign = $derived(signs[kind]);
</script>

<span class={['grid size-6 shrink-0 place-items-center rounded-md', sign.tone]} role="img" aria-label={sign.word} title={sign.word}>
  <svg width="14" height="14" viewBox="0 0 14 14" fill="none" stroke="currentColor" stroke-width="1.3" stroke-linecap="round" stroke-linejoin="round" aria-hidden="true"><path d={sign.path} /></svg>
</span>

<style>
  .tone-link {
    background: color-mix(in oklch, var(--color-info) 16%, var(--color-base-100));
    color: var(--color-info);
  }
  .tone-image {
    background: color-mix(in oklch, var(--color-success) 16%, var(--color-base-100));
    color: var(--color-success);
  }
  .tone-files {
    background: color-mix(in oklch, var(--color-warning) 18%, var(--color-base-100));
    color: color-mix(in oklch, var(--color-warning) 55%, var(--color-base-content));
  }
</style>
