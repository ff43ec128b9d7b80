<!-- What was read in a picture; or why nothing was, and what to do. -->
<script lang="ts">
  import type { Pictured, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { shown } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console, row, pictured }: { console: Console; row: Row; pictured: Pictured } = $props();
</script>

{#if pictured.state === 'read' && pictured.text}
  <section class="mt-1.5 max-w-[78ch]" aria-label={t('Words read in the picture')}>
    <p class="facts flex items-center gap-2">
      <span>{t('Read in the picture')}</span>
      <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void console.acts.take(row.id, 'ready', {}, { as: 'words' })}>{t('Take the words')}</button>
    </p>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="border-base-300 max-h-40 overflow-y-auto border-l-2 pl-3 whitespace-pre-wrap wrap-anywhere"
      dir="auto"
      data-pictured
      role="region"
      aria-label={t('Its words')}
      tabindex={pictured.text.length > 300 ? 0 : -1}
    >{shown(pictured.text)}</div>
  </section>
{:else if pictured.state === 'read'}
  <p class="facts">{t('No words were found in it.')}</p>
{:else if pictured.state === 'waits'}
  <p class="facts" role="status">{t('Its words are read soon.')}</p>
{:else if pictured.state === 'no-reader'}
  <p class="facts">{t('Words in pictures are read, and found, once tesseract is installed:')} <code>apt install tesseract-ocr</code></p>
{/if}
