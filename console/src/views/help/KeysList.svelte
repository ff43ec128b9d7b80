<!-- The keys of the console, as its one table has them. Those that are single characters can be changed or switched off. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import { helpLines, isSingle, KEYS, type Command } from '../../state/keys.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { keys } = $derived(console);
  let changing = $state(false);
  let problem = $state('');

  const chords = $derived(console.session.status?.chords ?? []);
  /** What digits do is said in one line, and those that are not heard are named. */
  const shownChords = $derived(chords.filter((one) => ['picker', '1', 'next', 'gather'].includes(one.purpose) || one.problem));
  const does: Record<string, string> = $derived({
    picker: t('Open the picker'),
    next: t('Paste what is next in the batch'),
    gather: t('Let copies join a batch, or no longer'),
    '1': t('Paste the newest clip; 2 the one before it, … 0 the tenth'),
  });
  const doing = (purpose: string) => does[purpose] ?? t('Paste the clip at place {purpose}', { purpose });

  function give(command: Command, text: string): void {
    problem = keys.give(command, text) ?? '';
    if (!problem) console.messages.say(`${t(KEYS[command].does)}: ${keys.shown(command)}`);
  }
</script>

<div class="flex items-center gap-2">
  <h2 class="grow font-semibold">{t('Keys')}</h2>
  <button type="button" class="btn btn-sm btn-ghost touch" aria-pressed={changing} onclick={() => (changing = !changing)}>{changing ? t('Done') : t('Change keys')}</button>
</div>
<label class="facts touch flex items-center gap-2 py-1">
  <input
    type="checkbox"
    class="checkbox checkbox-sm"
    checked={keys.single}
    onchange={(event) => {
      keys.single = event.currentTarget.checked;
      keys.save();
    }}
  />
  {t('Single letters act, with the focus in a list')}
</label>
{#if problem}<p class="text-error" role="alert">{problem}</p>{/if}
<dl class="mt-1.5 grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1">
  {#each helpLines() as [command, what] (command)}
    <dt>
      {#if changing && isSingle(command)}
        <input
          class="field h-7 w-12 text-center"
          aria-label={t('Key for: {what}', { what })}
          maxlength="1"
          value={keys.shown(command)}
          onfocus={(event) => event.currentTarget.select()}
          onchange={(event) => {
            give(command, event.currentTarget.value);
            event.currentTarget.value = keys.shown(command);
          }}
        />
      {:else}<kbd class="keycap">{keys.shown(command) || '—'}</kbd>{/if}
    </dt>
    <dd class="facts">{what}</dd>
  {/each}
</dl>
{#if shownChords.length > 0}
  <h3 class="mt-4 font-semibold">{t('Over any program')}</h3>
  <dl class="mt-1.5 grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1" data-chords>
    {#each shownChords as chord (chord.purpose)}
      <dt><kbd class="keycap">{chord.keys.replaceAll('+', ' ')}</kbd></dt>
      <dd class="facts">
        {doing(chord.purpose)}{#if chord.problem}<span class="text-error">; {t('not heard: {why}', { why: chord.problem })}</span>{/if}
      </dd>
    {/each}
  </dl>
{/if}
