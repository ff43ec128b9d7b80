<!-- Everything one can do to a clip, with the key for each act on its button. -->
<script lang="ts">
  import type { Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import type { Panel } from '../../state/selection.svelte';
  import { Commands } from '../../state/commands';
  import { mayBeFollowed } from '../../state/words';
  import KeyHint from '../parts/KeyHint.svelte';
  import { steady } from '../parts/steady';
  import { t } from '../../language/language.svelte';

  let { console, row }: { console: Console; row: Row } = $props();
  const { selection, sight, acts } = $derived(console);
  const commands = $derived(new Commands(console));
  const inOrder = $derived(console.place.view !== 'history' && !console.search.active);
  const at = $derived(sight.place(row.id));
  const last = $derived(sight.now.ids.length - 1);
  const isText = $derived(row.kind === 'text' || row.kind === 'link');
  const link = $derived(row.kind === 'link' ? row.head.trim() : '');
  const others = $derived(row.secret ? [] : console.devices.others);
  const toggle = (panel: Panel) => selection.open(row.id, panel);
  const stay = steady(() => console.messages.tell(t('The buttons moved just as you pressed, so nothing was done. Press again.')));
</script>

<div class="mt-2 mb-2.5 flex flex-wrap items-center gap-0.5" role="group" aria-label={t('What can be done')} {@attach stay}>
  <button type="button" class="btn btn-sm btn-primary touch" onclick={() => void acts.take(row.id, 'ready')}>
    {t('Take')} <KeyHint of="take" />
  </button>
  {#if !console.phone.here}
  {#if row.kind !== 'image'}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void acts.take(row.id, 'plain')}>{t('Plain')} <KeyHint of="takePlain" /></button>
  {/if}
  {#if row.kind === 'files'}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void acts.take(row.id, 'ready', {}, { as: 'names' })}>{t('Names')}</button>
  {:else if row.kind === 'image'}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void acts.take(row.id, 'ready', {}, { as: row.picture?.mime === 'image/jpeg' ? 'png' : 'jpeg' })}>{t('As {format}', { format: row.picture?.mime === 'image/jpeg' ? 'PNG' : 'JPEG' })}</button>
    <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void acts.take(row.id, 'ready', {}, { as: 'file' })}>{t('As file')}</button>
  {:else if row.formatted || row.kind === 'link'}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void acts.take(row.id, 'ready', {}, { as: 'markdown' })}>Markdown</button>
  {/if}
  {#if row.fill_ins}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void acts.take(row.id, 'copied')}>{t('As copied')}</button>
  {/if}
  {#if row.kind !== 'image'}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" aria-expanded={selection.panel === 'tidy'} onclick={() => toggle('tidy')}>
      {t('Tidy')} <KeyHint of="tidy" />
    </button>
  {/if}
  {#if isText}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" aria-expanded={selection.panel === 'edit'} onclick={() => toggle('edit')}>
      {t('Edit')} <KeyHint of="edit" />
    </button>
  {/if}
  {/if}
  <!-- As wide for either word: another client may pin it while a pointer is on its way to the next button. -->
  <button type="button" class="btn btn-sm btn-ghost touch min-w-23 justify-start px-2" aria-pressed={row.kept != null} onclick={() => void acts.pin([row.id])}>
    {row.kept ? t('Unpin') : t('Pin')} <KeyHint of="pin" />
  </button>
  <button type="button" class="btn btn-sm btn-ghost touch px-2" aria-expanded={selection.panel === 'drawer'} onclick={() => toggle('drawer')}>
    {t('Drawer')} <KeyHint of="drawer" />
  </button>
  {#if !console.phone.here}
  <button type="button" class="btn btn-sm btn-ghost touch px-2" aria-expanded={selection.panel === 'title'} onclick={() => toggle('title')}>
    {t('Title')} <KeyHint of="title" />
  </button>
  <button type="button" class="btn btn-sm btn-ghost touch px-2" aria-expanded={selection.panel === 'color'} onclick={() => toggle('color')}>
    {t('Color')} <KeyHint of="color" />
  </button>
  <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void console.batches.add([row.id])}>{t('Batch')} <KeyHint of="addToBatch" /></button>
  <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void acts.bringUp([row.id])}>{t('Bring up')} <KeyHint of="bringUp" /></button>
  {#if others.length === 1}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void console.devices.send(row.id, others[0]!)}><span class="max-w-44 truncate">{t('Send to {device}', { device: others[0]!.name })}</span></button>
  {:else if others.length > 1}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" aria-expanded={selection.panel === 'send'} onclick={() => toggle('send')}>{t('Send')}</button>
  {/if}
  {#if inOrder}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" disabled={at <= 0} onclick={() => commands.run('moveUp', 10)}>{t('Move up')}</button>
    <button type="button" class="btn btn-sm btn-ghost touch px-2" disabled={at < 0 || at >= last} onclick={() => commands.run('moveDown', 10)}>{t('Move down')}</button>
    <button type="button" class="btn btn-sm btn-ghost touch px-2" disabled={at < 0 || at >= last} onclick={() => void commands.move(row.id, '')}>{t('To the end')}</button>
  {/if}
  {#if row.made_from}
    <button type="button" class="btn btn-sm btn-ghost touch px-2" aria-expanded={selection.panel === 'compare'} onclick={() => toggle('compare')}>{t('Original')}</button>
  {/if}
  {/if}
  {#if link && mayBeFollowed(link)}
    <a class="btn btn-sm btn-ghost touch px-2" href={link} target="_blank" rel="noopener noreferrer">{t('Open')}</a>
  {/if}
  {#if !console.phone.here}
    <button type="button" class="btn btn-sm btn-ghost text-error touch ml-auto px-2" onclick={() => void acts.remove([row.id])}>
      {t('Remove')} <KeyHint of="remove" />
    </button>
  {/if}
</div>
