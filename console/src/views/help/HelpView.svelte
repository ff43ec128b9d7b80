<!-- Help: keys, the query language with filled examples, fill-ins to try, the first start again, export and import. -->
<script lang="ts">
  import type { Filled, ImportProgress } from '../../api/types';
  import { saveBlob } from '../../border/files';
  import type { Console } from '../../state/console.svelte';
  import { Latest } from '../../state/latest.svelte';
  import { count } from '../../state/words';
  import KeysList from './KeysList.svelte';
  import SignedIn from './SignedIn.svelte';
  import TrustCard from '../phone/TrustCard.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const examples: [string, string][] = $derived([
    ['bunks june', t('both words, anywhere, in any case')],
    ['"half board"', t('these words as they stand')],
    ['booking -confirmed', t('with the first word, without the second')],
    ['bunks OR beds', t('either of them; (parentheses) hold several together')],
    ['kind:image since:7d', t('pictures of the last seven days')],
    ['from:mail before:yesterday', t('copied from a program, before a day')],
    ['in:replies', t('what is in a drawer')],
    ['is:pinned has:html', t('kept, with formatting')],
    ['hour:9 over:10kb', t('copied between nine and ten, larger than 10 kB')],
    ['/\\+\\d{2} \\d{3}/', t('a pattern: a telephone number')],
  ]);
  const fills: [string, string][] = $derived([
    ['{=date}', t('today, as 2026-11-23')],
    ['{=date +14d "%d.%m.%Y"}', t('in two weeks, in a form of your own')],
    ['{=date -1mo long}', t('a month ago, in words')],
    ['{=time +2h}', t('in two hours')],
    ['{=clip "Hut line"}', t('the text of another clip, by title')],
    ['{=ask "Name"}', t('asked when it is taken')],
    ['{=ask "Nights" "2"}', t('asked, with a proposal')],
    ['{==', 'the characters {= themselves'],
  ]);
  let text = $state('Dear {=ask "Name"}, your bunks are kept until {=date +14d long}, {=time}.');
  const filled = new Latest<Filled>();
  let progress = $state.raw<ImportProgress | null>(null);

  $effect(() => {
    const asked = text;
    const timer = setTimeout(() => filled.read(console.service.fillIns(asked, null, { Name: 'A. Lindqvist' })), 150);
    return () => clearTimeout(timer);
  });

  function again(): void {
    console.prefs.welcomed = false;
    console.prefs.save();
        console.go({ view: 'history', query: '' });
  }

  async function save(format: 'zip' | 'csv'): Promise<void> {
    try {
      saveBlob(await console.service.exported({ format }), format === 'zip' ? 'yadori-export.zip' : 'yadori.csv');
    } catch (why) {
      console.messages.fail(why);
    }
  }

  async function bringIn(event: Event): Promise<void> {
    const field = event.currentTarget as HTMLInputElement;
    const file = field.files?.[0];
    if (!file) return;
    progress = { done: 0, total: 0, added: 0, known: 0, skipped: 0, reasons: [], over: false };
    try {
      await console.service.import(file, (line) => (progress = line));
      if (progress && !progress.over) throw new Error(t('the import was cut off; choose the file again and it goes on'));
      if (progress?.problem) throw new Error(t('{problem}; choose the file again and it goes on', { problem: progress.problem }));
    } catch (why) {
      console.messages.fail(why);
    } finally {
      field.value = '';
    }
  }
</script>

<main class="min-h-0 min-w-0 grow overflow-y-auto" id="page" tabindex="-1">
  <div class="mx-auto max-w-4xl px-5 py-6" data-help>
    <div class="flex items-center gap-2">
      <h1 class="grow text-base font-semibold">{t('Help')}</h1>
      <button type="button" class="btn btn-sm btn-soft" onclick={again}>{t('See the first start again')}</button>
    </div>
    <div class="mt-4 grid gap-x-10 gap-y-7 md:grid-cols-2">
      {#if console.phone.here}<div class="md:col-span-2"><TrustCard {console} /></div>{/if}
      <section aria-label={t('Keys')}><KeysList {console} /></section>
      <section aria-label={t('Searching')}>
        <h2 class="font-semibold">{t('Searching')}</h2>
        <p class="facts">{t('Everything must hold. Case and accents do not matter. Try one:')}</p>
        <ul class="mt-1.5">
          {#each examples as [query, what] (query)}
            <li class="flex items-baseline gap-2 py-0.5">
              <button type="button" class="bg-base-200 hover:bg-base-300 touch min-h-6 shrink-0 rounded-md px-1.5 py-0.5 font-mono text-xs" onclick={() => console.find(query)}>{query}</button>
              <span class="facts">{what}</span>
            </li>
          {/each}
        </ul>
      </section>
      <section aria-label={t('Fill-ins')} class="md:col-span-2">
        <h2 class="font-semibold">{t('Texts that fill themselves in')}</h2>
        <p class="facts">{t('A kept text may hold these. They are filled when it is taken; “As copied” takes it as it is written.')}</p>
        <div class="mt-2 grid gap-x-10 gap-y-4 md:grid-cols-2">
          <ul>
            {#each fills as [written, what] (written)}
              <li class="flex items-baseline gap-2 py-0.5"><code class="bg-base-200 shrink-0 rounded-md px-1.5 py-0.5 text-xs">{written}</code><span class="facts">{what}</span></li>
            {/each}
          </ul>
          <div>
            <label class="facts" for="try-fill">{t('Try it here (the answer is “A. Lindqvist”)')}</label>
            <textarea id="try-fill" bind:value={text} rows="3" class="field mt-1 w-full px-2.5 py-1.5" onkeydown={(event) => event.stopPropagation()}></textarea>
            {#if filled.problem}<p class="text-error text-xs">{filled.problem}{t('.')}</p>{:else}<p class="bg-base-200 rounded-field px-2.5 py-1.5 whitespace-pre-wrap" data-tried>{filled.value?.text ?? ''}</p>{/if}
          </div>
        </div>
      </section>
      {#if console.phone.here}
        <button type="button" class="btn btn-sm btn-soft touch justify-self-start" onclick={() => void console.session.signOut()}>{t('Sign this phone out')}</button>
      {:else}
      <section aria-label={t('Signed in')} class="md:col-span-2"><SignedIn {console} /></section>
      <section aria-label={t('Taking everything along')} class="md:col-span-2">
        <h2 class="font-semibold">{t('Taking everything along')}</h2>
        <p class="facts">{t('A zip holds every clip with its contents, drawers and order; a CSV holds the texts. Bringing the same file in twice changes nothing.')}</p>
        <div class="mt-2 flex flex-wrap items-center gap-1.5">
          <button type="button" class="btn btn-sm btn-soft" onclick={() => void save('zip')}>{t('Export everything')}</button>
          <button type="button" class="btn btn-sm btn-ghost" onclick={() => void save('csv')}>{t('Export texts as CSV')}</button>
          <label class="btn btn-sm btn-ghost relative">
            {t('Import a file')}<input type="file" class="sr-only" accept=".zip,.json,.csv,.txt,text/plain" onchange={(event) => void bringIn(event)} />
          </label>
        </div>
        {#if progress}
          <p class="mt-2" role="status">
            {#if !progress.over}<progress class="progress w-40" value={progress.done} max={Math.max(1, progress.total)}></progress>{/if}
            {[t('Brought in {clips} of {total}', { clips: count(progress.added, 'clip'), total: progress.total }), ...(progress.known ? [t('{n} known already', { n: progress.known })] : []), ...(progress.skipped ? [t('{n} could not be read', { n: progress.skipped })] : []), ...(progress.beyond ? [t('{n} are beyond the limits now: see the settings', { n: progress.beyond })] : [])].join(t(', '))}
          </p>
          {#each progress.reasons ?? [] as reason (reason)}<p class="facts">{reason}</p>{/each}
        {/if}
      </section>
      {/if}
    </div>
  </div>
</main>
