<script lang="ts">
  import Text from '@lucide/svelte/icons/align-left';
  import Files from '@lucide/svelte/icons/files';
  import Link from '@lucide/svelte/icons/link-2';
  import Image from '@lucide/svelte/icons/mountain';

  import type { Kind } from '../../api/types';

  let { kind }: { kind: Kind } = $props();
  const signs = {
    text: { icon: Text, tone: 'bg-base-200 soft', word: 'Text' },
    link: { icon: Link, tone: 'tone-link', word: 'Link' },
    image: { icon: Image, tone: 'tone-image', word: 'Picture' },
    files: { icon: Files, tone: 'tone-files', word: 'Files' },
  };
  const sign = $derived(signs[kind]);
</script>

<span class={['grid size-6 shrink-0 place-items-center rounded-md', sign.tone]} role="img" aria-label={sign.word} title={sign.word}>
  <sign.icon size={14} aria-hidden="true" />
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
