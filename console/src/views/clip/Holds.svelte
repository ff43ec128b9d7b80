<!-- Every representation of a clip, to look at and to save. -->
<script lang="ts">
  import type { Detail, Outlook, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { saveBlob } from '../../border/files';
  import { Latest } from '../../state/latest.svelte';
  import { fileNameFor, moment, size } from '../../state/words';
  import { t } from '../../language/language.svelte';

  interface Props {
    console: Console;
    row: Row;
    /** What was read of it last. */
    detail: Detail | null;
    problem: string;
  }
  let { console, row, detail, problem }: Props = $props();

  // Asked anew with every change of the clip. One that has gone meanwhile has none.
  const outlook = new Latest<{ id: string; known: Outlook | null }>();
  $effect(() => {
    const { id } = row;
    const answered = (known: Outlook | null) => ({ id, known });
    outlook.read(console.service.outlook(id).then(answered, () => answered(null)));
  });
  const known = $derived(outlook.value?.id === row.id ? outlook.value.known : null);
  /** The program, or the site, of which nothing is to be kept any more. */
  const sources = $derived.by(() => {
    const host = row.source.page ? new URL(row.source.page, 'x:/').host : '';
    return [...(row.source.program ? [{ what: row.source.program, rule: { program: row.source.program } }] : []), ...(host ? [{ what: host, rule: { page: `://${host.replace(/[^\w]/g, '\\$&')}(/|$)` } }] : [])];
  });

  async function save(n: number, extension: string): Promise<void> {
    try {
      saveBlob(await console.service.representation(row.id, n), fileNameFor(row, extension));
    } catch (why) {
      console.messages.fail(why);
    }
  }
</script>

{#if detail}
  <table class="w-full max-w-2xl" data-holds>
    <caption class="facts pb-1 text-left">
      {t('Id {id}. A take hands all of these back as they came.', { id: row.id })}
    </caption>
    <tbody>
      {#each detail.representations as one (one.n)}
        <tr class="border-base-300 border-t">
          <td class="py-1 pr-3 font-mono text-xs break-all">{one.mime}</td>
          <td class="facts figures py-1 pr-3 text-right whitespace-nowrap">{size(one.size)}</td>
          <td class="py-1 text-right">
            <button class="btn btn-xs btn-ghost" onclick={() => void save(one.n, one.extension)}>{t('Save as file')}</button>
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
  {#if known}<p class="facts mt-1" data-outlook>{known.at ? t('Limits: {words} ({at}).', { words: known.words, at: moment(known.at / 1000) }) : t('Limits: {words}.', { words: known.words })}</p>{/if}
  {#if sources.length > 0}
    <p class="mt-1 flex flex-wrap items-center gap-1">
      {#each sources as { what, rule } (what)}
        <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void console.settings.neverFrom(what, rule)}>{t('Never keep from {what}…', { what })}</button>
      {/each}
    </p>
  {/if}
  {#each detail.earlier as earlier, n (earlier.at)}
    <p class="facts mt-1 flex flex-wrap items-center gap-2">
      {t('Copied otherwise before, {at}: {representations}', { at: moment(earlier.at / 1000), representations: earlier.representations.map((one) => one.mime).join(', ') })}
      <button type="button" class="btn btn-xs btn-ghost" onclick={() => void console.acts.take(row.id, 'copied', {}, { earlier: n + 1 })}>{t('Take that')}</button>
    </p>
  {/each}
{:else if problem}
  <p class="text-error">{t("It can't be read now: {message}.", { message: problem })}</p>
{:else}
  <p class="facts">{t('Reading…')}</p>
{/if}
