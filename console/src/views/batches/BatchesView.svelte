<!-- Batches: the one in hand with everything in it, handing out, and new ones. -->
<script lang="ts">
  import type { After } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { batchName } from '../../state/batches.svelte';
  import { count } from '../../state/words';
  import TypedForm from '../parts/TypedForm.svelte';
  import HandCard from './HandCard.svelte';
  import ItemsList from './ItemsList.svelte';
  import NewBatch from './NewBatch.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { batches } = $derived(console);
  const batch = $derived(batches.open);
  let making = $state(false);
  let naming = $state(false);

  async function name(text: string): Promise<boolean> {
    const done = await batches.change({ name: text }, text ? t('Kept as {text}.', { text }) : t('It is not kept by a name any more.'));
    if (!done) return false;
    naming = false;
    console.focusPage();
    return true;
  }

  const keysOf: [After, string][] = $derived([
    ['nothing', t('nothing')],
    ['tab', 'Tab'],
    ['enter', 'Enter'],
  ]);
  const chord = $derived((console.session.status?.chords ?? []).find((one) => one.purpose === 'next' && !one.problem)?.keys.replaceAll('+', ' '));
  const ownWindow = () => window.open('#/hand', 'yadori-hand', 'popup,width=360,height=520');
</script>

<main class="min-h-0 min-w-0 grow overflow-y-auto" id="page" tabindex="-1">
  <div class="mx-auto max-w-3xl px-5 py-6" data-batches={batches.all.length}>
    <div class="flex flex-wrap items-center gap-2">
      <h1 class="grow text-base font-semibold">{t('Batches')}</h1>
      <button type="button" class="btn btn-sm btn-soft touch" onclick={() => void batches.gather()} data-gather>
        {batches.all.some((one) => one.gathering) ? t('End gathering') : t('Gather what is copied')}
      </button>
      <button type="button" class="btn btn-sm btn-soft touch" aria-expanded={making} onclick={() => (making = !making)}>{t('Split a text')}</button>
    </div>
    <p class="facts mt-1">
      {t('Gather what you copy, or split one clip; then hand the parts out, one after another')}{#if chord}: <strong class="font-semibold whitespace-nowrap">{chord}</strong> {t('pastes the next one in any program')}{/if}{t('.')}
    </p>
    {#if making}<NewBatch {console} onend={() => (making = false)} />{/if}
    {#if !batch && batches.loaded && !making}
      <p class="mt-10 text-center" data-empty>{t('There is no batch yet. Press “Gather what is copied”, copy what belongs into a form, and hand it out there.')}</p>
    {/if}
    {#if batch}
      {#if batches.all.length > 1}
        <div class="mt-4 flex flex-wrap gap-1" role="group" aria-label={t('All batches')}>
          {#each batches.all as one (one.id)}
            <button type="button" class={['chip touch', { pressed: one.id === batch.id }]} aria-pressed={one.id === batch.id} onclick={() => void batches.look(one.id)} data-batch={one.id}>
              {batchName(one)}<span class="figures opacity-80">{` · ${t('{left} left', { left: one.left })}`}</span>{one.in_hand ? ` · ${t('in hand')}` : ''}
            </button>
          {/each}
        </div>
      {/if}
      <section class="mt-5" aria-label={t('The batch that is open')}>
        <div class="flex flex-wrap items-center gap-1">
          {#if naming}
            <TypedForm {console} keeps="batch:{batch.id}" label={t('Name of the batch')} placeholder={t('A name keeps it for the next time')} value={batch.name ?? ''} empty onsave={name} onleave={() => { naming = false; console.focusPage(); }} />
          {:else}
            <h2 class="min-w-0 grow truncate font-semibold" data-open={batch.id}>{batchName(batch)}</h2>
            <button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => (naming = true)}>{batch.name ? t('Rename') : t('Keep by a name')}</button>
          {/if}
          {#if batch.left > 1}<button type="button" class="btn btn-sm btn-ghost touch px-2" onclick={() => void batches.run((id) => console.service.reverseBatch(id), t('What is left comes in the opposite order.'))}>{t('Reverse')}</button>{/if}
          <button type="button" class="btn btn-sm btn-ghost touch hidden px-2 sm:inline-flex" onclick={ownWindow}>{t('Own window')}</button>
          <button type="button" class="btn btn-sm btn-ghost text-error touch px-2" onclick={() => void batches.run((id) => console.service.removeBatch(id), t('The batch was removed.'))}>{t('Remove')}</button>
        </div>
        <div class="facts mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
          <span class="figures">{[count(batch.items, 'item'), ...(batch.records > 1 ? [count(batch.records, 'record')] : []), t('{left} left', { left: batch.left })].join(t(', '))}</span>
          <label class="flex items-center gap-2">
            {t('Pressed after each')}
            <select class="field h-7" value={batch.after_each} onchange={(event) => void batches.change({ after_each: event.currentTarget.value as After }, t('Changed what is pressed after each item.'))} data-after>
              {#each keysOf as [key, label] (key)}<option value={key}>{label}</option>{/each}
            </select>
          </label>
          {#if batch.records > 1}
            <label class="flex items-center gap-2">
              {t('after each record')}
              <select class="field h-7" value={batch.after_record ?? 'same'} onchange={(event) => void batches.change({ after_record: event.currentTarget.value }, t('Changed what is pressed after each record.'))}>
                <option value="same">{t('the same')}</option>
                {#each keysOf as [key, label] (key)}<option value={key}>{label}</option>{/each}
              </select>
            </label>
          {/if}
        </div>
        {#if batch.in_hand}
          <div class="border-base-300 mt-3 overflow-hidden rounded-lg border"><HandCard {console} /></div>
        {:else}
          <button type="button" class="btn btn-sm btn-soft touch mt-3" onclick={() => void batches.hand('take-up')}>{t('Take in hand')}</button>
        {/if}
        <div class="mt-3"><ItemsList {console} /></div>
      </section>
    {/if}
  </div>
</main>
