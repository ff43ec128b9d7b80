<!-- A new batch out of one text: what splitting makes of it is shown while one chooses how. -->
<script lang="ts">
  import { untrack } from 'svelte';

  import type { After, Parts, Split } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { count, shown } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console, onend }: { console: Console; onend: () => void } = $props();
  const { batches, drafts, rows, list } = $derived(console);
  const newest = $derived((void list.version, list.chronicle.ids[0] ?? null));
  const row = $derived(newest === null ? undefined : rows.get(newest));
  const isText = $derived(row !== undefined && row.kind !== 'image');
  const KEPT = 'new-batch';

  let text = $state(untrack(() => drafts.typed(KEPT) ?? ''));
  let way = $state('lines');
  let pattern = $state('');
  let header = $state(false);
  let after = $state<After>('tab');
  let found = $state.raw<Parts | string | null>(null);

  const ways = $derived([
    ['lines', t('Lines')],
    ['paragraphs', t('Paragraphs')],
    ['entries', t('Entries of a list')],
    ['cells', t('Cells of a range')],
    ['csv', t('Fields of CSV')],
    ['pairs', t('Names and values')],
    ['pattern', t('By a pattern')],
  ] as const);
  const split = $derived<Split>({ way, header, ...(way === 'pattern' ? { pattern } : {}) });
  /** What is split: what was typed; else the newest clip. */
  const from = $derived(text !== '' ? { text } : isText && newest !== null ? { clip: newest } : null);
  const parts = $derived(found !== null && typeof found !== 'string' ? found : null);

  $effect(() => {
    if (newest !== null) void rows.need([newest]).catch(() => {});
  });
  $effect(() => {
    const [asked, how] = [from, split];
    if (asked === null || (how.way === 'pattern' && !how.pattern)) {
      found = null;
      return;
    }
    let off = false;
    const wait = setTimeout(() => void batches.try(asked, how).then((answer) => { if (!off) found = answer; }), 120);
    return () => {
      off = true;
      clearTimeout(wait);
    };
  });

  async function begin(): Promise<void> {
    if (from === null || parts === null) return;
    const filling = 'text' in from ? { texts: [from.text ?? ''], split } : { clips: [from.clip ?? ''], split };
    if (!(await batches.begin(filling, { after_each: after }, t('Began a batch of {items}.', { items: count(parts.total, 'item') })))) return;
    drafts.keep(KEPT, null);
    onend();
    console.focusPage();
  }
</script>

<section class="border-base-300 rounded-box mt-3 border p-3" aria-label={t('A new batch out of one text')} data-new-batch>
  <label class="facts font-medium" for="batch-text">{t('Text to be split')}</label>
  <textarea
    id="batch-text"
    class="field mt-1 block min-h-20 w-full py-1.5"
    rows="4"
    bind:value={text}
    oninput={() => drafts.keep(KEPT, text || null)}
    placeholder={isText && row ? t('Type or paste here; or leave it empty for the newest clip: {head}', { head: shown(row.head.trim().replace(/\s+/g, ' ')).slice(0, 60) }) : t('Type or paste here')}
    spellcheck="false"
  ></textarea>
  <div class="mt-2 flex flex-wrap items-center gap-1" role="group" aria-label={t('How it is split')}>
    {#each ways as [name, label] (name)}
      <button type="button" class={['chip touch', { pressed: way === name }]} aria-pressed={way === name} onclick={() => (way = name)} data-way={name}>{label}</button>
    {/each}
  </div>
  <div class="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1.5">
    {#if way === 'pattern'}
      <label class="flex min-w-0 grow items-center gap-2"><span class="facts shrink-0">{t('Pattern')}</span><input class="field h-8 min-w-32 grow font-mono" bind:value={pattern} placeholder={t('{example} or {other}', { example: ';', other: '(\\w+)=(\\w+)' })} autocomplete="off" spellcheck="false" data-pattern /></label>
    {/if}
    {#if way === 'cells' || way === 'csv'}
      <label class="touch flex items-center gap-2"><input type="checkbox" class="checkbox checkbox-sm" bind:checked={header} /> {t('The first row holds names')}</label>
    {/if}
    <label class="flex items-center gap-2">
      <span class="facts">{t('After each')}</span>
      <select class="field h-8" bind:value={after}>
        <option value="tab">Tab</option>
        <option value="enter">Enter</option>
        <option value="nothing">{t('nothing')}</option>
      </select>
    </label>
  </div>
  <div class="mt-2" aria-live="polite" data-parts={parts?.total ?? 0}>
    {#if typeof found === 'string'}
      <p class="text-error">{found.charAt(0).toUpperCase()}{found.slice(1)}{t('.')}</p>
    {:else if parts}
      <p class="facts">{count(parts.total, 'item')}{parts.records > 1 ? t(' in {records}', { records: count(parts.records, 'record') }) : ''}</p>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <ol class="border-base-300 mt-1 max-h-44 overflow-y-auto rounded-lg border px-2 py-1" tabindex="0" aria-label={t('The parts')}>
        {#each parts.parts as part, n (n)}
          <li class={['flex gap-2 py-0.5', parts.records > 1 && n > 0 && parts.parts[n - 1]?.record !== part.record && 'border-base-300 border-t']}>
            <span class="facts figures w-6 shrink-0 text-right">{n + 1}</span>
            {#if part.label}<span class="facts shrink-0">{shown(part.label)}</span>{/if}
            <span class="min-w-0 truncate" dir="auto">{shown(part.head.replace(/\s+/g, ' ')) || '—'}</span>
          </li>
        {/each}
      </ol>
    {:else if from === null}
      <p class="facts">{t('Nothing is copied that could be split. Type or paste a text.')}</p>
    {/if}
  </div>
  <div class="mt-3 flex gap-1">
    <button type="button" class="btn btn-sm btn-primary touch" disabled={parts === null} onclick={() => void begin()}>{t('Begin the batch')}</button>
    <button type="button" class="btn btn-sm btn-ghost touch" onclick={() => { onend(); console.focusPage(); }}>{t('Leave')}</button>
  </div>
</section>
