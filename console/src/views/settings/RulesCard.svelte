<!-- Intake rules in their order, with how often each decided; a new one; and what would happen to a text. -->
<script lang="ts">
  import type { Rule, TriedRules, Verdict } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { Latest } from '../../state/latest.svelte';
  import { count, kindName, shown, size } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  const rules = $derived(settings.rules?.rules ?? []);
  const verdicts: [Verdict, string][] = $derived([
    ['refuse', t('never keep')],
    ['mask', t('keep masked for a time')],
    ['here', t('keep on this device alone')],
    ['keep', t('keep, whatever it looks like')],
  ]);
  const parts: ['program' | 'window' | 'page' | 'content', string, string][] = $derived([
    ['program', t('from program'), t('name, or Bank*')],
    ['window', 'window', t('a pattern')],
    ['page', 'page', t('a pattern')],
    ['content', 'text', t('a pattern')],
  ]);
  let form = $state<HTMLFormElement>();
  let rule = $state<Rule>({ then: 'refuse' });
  /** The rule that is changed, as it was, and what stood in the form before. */
  let changing = $state.raw<{ before: Rule; form: Rule } | null>(null);
  let text = $state('');
  let program = $state('');
  const tried = new Latest<TriedRules>();

  function words(one: Rule): string {
    const said = [
      one.program && t('from {program}', { program: one.program }),
      one.window && t('window {pattern}', { pattern: `/${one.window}/` }),
      one.page && t('page {pattern}', { pattern: `/${one.page}/` }),
      one.kind && kindName(one.kind),
      one.over && t('over {bytes}', { bytes: size(one.over) }),
      one.content && t('text {pattern}', { pattern: `/${one.content}/` }),
    ].filter(Boolean);
    return `${one.name ? `${one.name}: ` : ''}${said.join(', ')}`;
  }
  const all = () => rules.map((one) => one.rule);

  async function add(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (!changing) {
      if (await settings.setRules([...all(), rule], t('The rule holds from now on.'))) rule = { then: 'refuse' };
      return;
    }
    const { before } = changing;
    const at = all().findIndex((one) => same(one, before));
    if (at < 0) return console.messages.tell(t('That rule was changed or removed elsewhere meanwhile. What you wrote stays in the form.'), { wrong: true });
    if (await settings.setRules(all().with(at, rule), t('The rule holds as it is now.'))) leave();
  }

  const same = (one: Rule, other: Rule) => JSON.stringify(one) === JSON.stringify(other);

  function change(one: Rule): void {
    changing = { before: one, form: changing?.form ?? rule };
    rule = { ...one };
    form?.querySelector('input')?.focus();
  }

  function leave(): void {
    rule = changing?.form ?? { then: 'refuse' };
    changing = null;
  }

  async function move(n: number): Promise<void> {
    const next = all();
    const [one] = next.splice(n, 1);
    if (one) next.splice(n - 1, 0, one);
    await settings.setRules(next, t('The rules have another order.'));
  }

  $effect(() => {
    void settings.rules;
    const wanted = { text, ...(program.trim() ? { program: program.trim() } : {}) };
    if (text === '' && program === '') {
      tried.clear();
      return;
    }
    const timer = setTimeout(() => tried.read(settings.tryRules(wanted)), 150);
    return () => clearTimeout(timer);
  });
</script>

<section aria-labelledby="rules-title" data-rules>
  <h2 class="font-semibold" id="rules-title">{t('What is recorded at all')}</h2>
  <p class="facts">{t('The first rule that holds decides. What a program marks as not to be recorded is never read, whatever the rules.')}</p>
  <ol class="mt-1">
    {#each rules as one, n (n)}
      <li class="border-base-300 flex flex-wrap items-center gap-x-3 border-t py-1.5">
        <span class="facts figures w-4">{n + 1}</span>
        <span class="min-w-0 grow wrap-anywhere">{shown(words(one.rule))} → <strong class="font-medium">{verdicts.find(([value]) => value === one.rule.then)?.[1]}</strong>{one.rule.minutes ? t(' ({minutes} min)', { minutes: one.rule.minutes }) : ''}</span>
        <span class="facts">{one.decided > 0 ? t('{times} since the start', { times: count(one.decided, 'time') }) : ''}</span>
        <button type="button" class="btn btn-sm btn-ghost touch" aria-label={t('Change rule {n}', { n: n + 1 })} onclick={() => change(one.rule)}>{t('Change')}</button>
        {#if n > 0}<button type="button" class="btn btn-sm btn-ghost touch" aria-label={t('Move rule {n} up', { n: n + 1 })} onclick={() => void move(n)}>{t('Up')}</button>{/if}
        <button type="button" class="btn btn-sm btn-ghost text-error touch" aria-label={t('Remove rule {n}', { n: n + 1 })} onclick={() => void settings.setRules(all().filter((_, at) => at !== n), t('The rule is gone.'))}>{t('Remove')}</button>
      </li>
    {:else}<li class="facts py-1">{t('There are no rules: everything is kept, but for recognised secrets.')}</li>{/each}
  </ol>
  <form bind:this={form} class="mt-1 grid grid-cols-2 items-end gap-2 md:grid-cols-6" onsubmit={(event) => void add(event)} data-new-rule>
    {#each parts as [name, label, hint] (name)}
      <label class="min-w-0">{label}
        <input class="field h-9 w-full" value={rule[name] ?? ''} placeholder={hint} autocomplete="off" oninput={(event) => (rule = { ...rule, [name]: event.currentTarget.value })} onkeydown={(event) => event.stopPropagation()} data-rule={name} />
      </label>
    {/each}
    <label class="min-w-0">{t('then')}
      <select class="field h-9 w-full" bind:value={rule.then}>{#each verdicts as [value, label] (value)}<option {value}>{label}</option>{/each}</select>
    </label>
    <button type="submit" class="btn btn-sm btn-soft touch h-9">{changing ? t('Change the rule') : t('Add the rule')}</button>
    {#if changing}<button type="button" class="btn btn-sm btn-ghost touch h-9" onclick={leave}>{t('Leave it as it was')}</button>{/if}
  </form>
  <div class="bg-base-200 rounded-box mt-3 px-3 py-2.5">
    <h3 class="font-medium">{t('What would happen to…')}</h3>
    <div class="mt-1 flex flex-wrap items-end gap-2">
      <label class="min-w-40 grow">{t('this text')}
        <input class="field h-9 w-full" bind:value={text} autocomplete="off" spellcheck="false" onkeydown={(event) => event.stopPropagation()} data-try-text />
      </label>
      <label class="min-w-0">{t('from that program')}
        <input class="field h-9 w-full" bind:value={program} placeholder={t('any')} autocomplete="off" onkeydown={(event) => event.stopPropagation()} data-try-program />
      </label>
    </div>
    <p class={['mt-1 min-h-5', tried.problem && 'text-error']} role="status" data-tried>{tried.problem || (tried.value ? `${tried.value.words.charAt(0).toUpperCase()}${tried.value.words.slice(1)}.` : '')}</p>
  </div>
</section>
