<!-- The whole of a clip, and everything one can do to it, with the key for each act on its button. -->
<script lang="ts">
  import type { Detail, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { saveBlob } from '../../border/files';
  import { Latest } from '../../state/latest.svelte';
  import { blankness, facts, fileNameFor, mailTo, mayBeFollowed, pictureFacts, shown, size } from '../../state/words';
  import Acts from './Acts.svelte';
  import Formatted from './Formatted.svelte';
  import Holds from './Holds.svelte';
  import Panels from './Panels.svelte';
  import Picture from '../parts/Picture.svelte';
  import PictureWords from './PictureWords.svelte';
  import Plain from '../parts/Plain.svelte';
  import { t } from '../../language/language.svelte';

  let { console, row }: { console: Console; row: Row } = $props();
  let side = $state<'words' | 'formatted' | 'holds'>('words');
  // Read anew when it was copied again meanwhile; what was read stays on the screen until then.
  const readWhole = (id: string, _copiedAt: number, text: string) => console.rows.detail(id, text);
  // In a picture, the words that were searched for are shown.
  const whole: Promise<Detail> = $derived(readWhole(row.id, row.copied_at, row.kind === 'image' ? console.search.shownFor : ''));
  const read = new Latest<Detail>();
  $effect(() => read.read(whole));
  const detail = $derived(read.value?.row.id === row.id ? read.value : null);
  const text = $derived(detail?.text ?? row.head);
  const blank = $derived(blankness(row.head, row.chars));
  const hasPicture = $derived(row.kind === 'image' || /\.(png|jpe?g|gif|webp|bmp|tiff?|svg)$/i.test(row.files?.[0] ?? ''));
  const editing = $derived(console.selection.panel === 'edit' || console.selection.panel === 'compare');

  /** The form the clip is known by, as a file. */
  async function save(): Promise<void> {
    try {
      const { representations } = await whole;
      const one = representations.find(({ mime }) => mime === row.picture?.mime) ?? representations[0];
      if (one) saveBlob(await console.service.representation(row.id, one.n), fileNameFor(row, one.extension));
    } catch (why) {
      console.messages.fail(why);
    }
  }

  async function mail(): Promise<void> {
    try {
      const address = mailTo(row.title, (await whole).text ?? row.head);
      if (address) window.location.href = address;
      else console.messages.tell(t('It is too long to be handed to mail. Save it as a file and attach that.'), { wrong: true });
    } catch (why) {
      console.messages.fail(why);
    }
  }

  const sides = $derived(
    [
      ['words', row.kind === 'image' ? t('Picture') : row.kind === 'files' ? t('Files') : t('Words')],
      ...(row.formatted ? [['formatted', t('Formatted')]] : []),
      ['holds', t('All it holds')],
    ] as ['words' | 'formatted' | 'holds', string][],
  );
</script>

{#if row.title}<p class="font-medium wrap-anywhere" dir="auto">{shown(row.title)}</p>{/if}
{#if editing}<!-- shown in the panel below -->{:else if side === 'words'}
  {#if hasPicture}
    {@const pictured = detail?.pictured ?? undefined}
    <div class="py-1"><Picture {row} most={1600} tall={420} {pictured} /></div>
    {#if row.kind === 'image'}<p class="facts">{pictureFacts(row)}</p>{/if}
    {#if pictured}<PictureWords {console} {row} {pictured} />{/if}
  {/if}
  {#if row.kind === 'files'}
    <ul class="my-1 max-h-72 overflow-y-auto" data-words>
      {#each row.files ?? [] as path (path)}
        <li class="break-all">{shown(path)}{#if detail?.missing?.includes(path)}<span class="text-error" data-missing>{' '}{t('is not there any more')}</span>{/if}</li>
      {/each}
      {#if row.file_count > (row.files?.length ?? 0)}
        <li class="facts">{t('and {n} more', { n: row.file_count - (row.files?.length ?? 0) })}</li>
      {/if}
    </ul>
  {:else if row.kind !== 'image'}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="max-h-[55vh] max-w-[78ch] overflow-y-auto whitespace-pre-wrap wrap-anywhere"
      dir="auto"
      data-words
      role="region"
      aria-label={t('The whole text')}
      tabindex={text.length > 2_000 ? 0 : -1}
    >{#if blank}<span class="soft">{blank}</span>{:else}<Plain text={text.slice(0, 200_000)} />{/if}</div>
    {#if detail?.text_cut || text.length > 200_000}
      <p class="facts mt-1">{t('Only the beginning is shown; a take gives all of it.')}</p>
    {/if}
    {#if read.problem}<p class="text-error mt-1 text-xs">{t("The rest can't be read now: {problem}.", { problem: read.problem })}</p>{/if}
  {/if}
{:else if side === 'formatted'}
  <Formatted {console} {row} />
{:else}
  <Holds {console} {row} {detail} problem={read.problem} />
{/if}

<p class="facts mt-1">{facts(row).join(' · ')}</p>
{#if row.source.page}
  <p class="facts truncate">
    {#if mayBeFollowed(row.source.page)}
      <a class="hover:underline" href={row.source.page} target="_blank" rel="noopener noreferrer">{row.source.page}</a>
    {:else}{row.source.page}{/if}
  </p>
{/if}

<div class="mt-1 flex flex-wrap items-center gap-2">
  <span class="flex gap-1" role="group" aria-label={t('What is shown')}>
    {#each sides as [name, label] (name)}
      <button
        type="button"
        class={['chip', { pressed: side === name }]}
        aria-pressed={side === name}
        onclick={() => (side = name)}>{label}</button
      >
    {/each}
  </span>
  {#if !row.secret}
  <span class="facts">{size(row.size)}</span>
  <button type="button" class="btn btn-sm btn-ghost touch" onclick={() => void save()}>{t('Save as file')}</button>
  {/if}
  {#if row.kind !== 'image' && !row.secret}
    <button type="button" class="btn btn-sm btn-ghost touch" onclick={() => void mail()}>{t('Mail')}</button>
  {/if}
</div>

<Panels {console} {row} />
<Acts {console} {row} />
