<!-- Intake rules in their order, with how often each decided; a new one; and what would happen to a text. -->
<script lang="ts">
  import type { Rule, TriedRules, Verdict } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { count, shown, size } from '../../state/words';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  const rules = $derived(settings.rules?.rules ?? []);
  const verdicts: [Verdict, string][] = [
    ['refuse', 'never keep'],
    ['mask', 'keep masked for a time'],
    ['here', 'keep on this device alone'],
    ['keep', 'keep, whatever it looks like'],
  ];
  const parts: ['program' | 'window' | 'page' | 'content', string, string][] = [
    ['program', 'from program', 'name, or Bank*'],
    ['window', 'window', 'a pattern'],
    ['page', 'page', 'a pattern'],
    ['content', 'text', 'a pattern'],
  ];
  let form = $state<HTMLFormElement>();
  let rule = $state<Rule>({ then: 'refuse' });
  /** The rule that is changed, as it was, and what stood in the form before. */
  let changing = $state.raw<{ before: Rule; form: Rule } | null>(null);
  let text = $state('');
  let program = $state('');
  let tried = $state.raw<TriedRules | null>(null);
  let problem = $state('');

  function words(one: Rule): string {
    const said = [
      one.program && `from ${one.program}`,
      one.window && `window /${one.window}/`,
      one.page && `page /${one.page}/`,
      one.kind && `${one.kind}`,
      one.over && `over ${size(one.over)}`,
      one.content && `text /${one.content}/`,
    ].filter(Boolean);
    return `${one.name ? `${one.name}: ` : ''}${said.join(', ')}`;
  }
  const all = () => rules.map((one) => one.rule);

  async function add(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (!changing) {
      if (await settings.setRules([...all(), rule], 'The rule holds from now on.')) rule = { then: 'refuse' };
      return;
    }
    const { before } = changing;
    const at = all().findIndex((one) => same(one, before));
    if (at < 0) return console.messages.tell('That rule was changed or removed elsewhere meanwhile. What you wrote stays in the form.', { wrong: true });
    if (await settings.setRules(all().with(at, rule), 'The rule holds as it is now.')) leave();
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
    await settings.setRules(next, 'The rules have another order.');
  }

  $effect(() => {
    void settings.rules;
    const wanted = { text, ...(program.trim() ? { program: program.trim() } : {}) };
    if (text === '' && program === '') {
      tried = null;
      return;
    }
    const timer = setTimeout(() => {
      settings.tryRules(wanted).then(
        (answer) => ([tried, problem] = [answer, '']),
        (why: unknown) => (problem = why instanceof Error ? why.message : String(why)),
      );
    }, 150);
    return () => clearTimeout(timer);
  });
</script>

<section aria-labelledby="rules-title" data-rules>
  <h2 class="font-semibold" id="rules-title">What is recorded at all</h2>
  <p class="facts">The first rule that holds decides. What a program marks as not to be recorded is never read, whatever the rules.</p>
  <ol class="mt-1">
    {#each rules as one, n (n)}
      <li class="border-base-300 flex flex-wrap items-center gap-x-3 border-t py-1.5">
        <span class="facts figures w-4">{n + 1}</span>
        <span class="min-w-0 grow wrap-anywhere">{shown(words(one.rule))} → <strong class="font-medium">{verdicts.find(([value]) => value === one.rule.then)?.[1]}</strong>{one.rule.minutes ? ` (${one.rule.minutes} min)` : ''}</span>
        <span class="facts">{one.decided > 0 ? `${count(one.decided, 'time')} since the start` : ''}</span>
        <button type="button" class="btn btn-sm btn-ghost touch" aria-label="Change rule {n + 1}" onclick={() => change(one.rule)}>Change</button>
        {#if n > 0}<button type="button" class="btn btn-sm btn-ghost touch" aria-label="Move rule {n + 1} up" onclick={() => void move(n)}>Up</button>{/if}
        <button type="button" class="btn btn-sm btn-ghost text-error touch" aria-label="Remove rule {n + 1}" onclick={() => void settings.setRules(all().filter((_, at) => at !== n), 'The rule is gone.')}>Remove</button>
      </li>
    {:else}<li class="facts py-1">There are no rules: everything is kept, but for recognised secrets.</li>{/each}
  </ol>
  <form bind:this={form} class="mt-1 grid grid-cols-2 items-end gap-2 md:grid-cols-6" onsubmit={(event) => void add(event)} data-new-rule>
    {#each parts as [name, label, hint] (name)}
      <label class="min-w-0">{label}
        <input class="field h-9 w-full" value={rule[name] ?? ''} placeholder={hint} autocomplete="off" oninput={(event) => (rule = { ...rule, [name]: event.currentTarget.value })} onkeydown={(event) => event.stopPropagation()} data-rule={name} />
      </label>
    {/each}
    <label class="min-w-0">then
      <select class="field h-9 w-full" bind:value={rule.then}>{#each verdicts as [value, label] (value)}<option {value}>{label}</option>{/each}</select>
    </label>
    <button type="submit" class="btn btn-sm btn-soft touch h-9">{changing ? 'Change the rule' : 'Add the rule'}</button>
    {#if changing}<button type="button" class="btn btn-sm btn-ghost touch h-9" onclick={leave}>Leave it as it was</button>{/if}
  </form>
  <div class="bg-base-200 rounded-box mt-3 px-3 py-2.5">
    <h3 class="font-medium">What would happen to…</h3>
    <div class="mt-1 flex flex-wrap items-end gap-2">
      <label class="min-w-40 grow">this text
        <input class="field h-9 w-full" bind:value={text} autocomplete="off" spellcheck="false" onkeydown={(event) => event.stopPropagation()} data-try-text />
      </label>
      <label class="min-w-0">from that program
        <input class="field h-9 w-full" bind:value={program} placeholder="any" autocomplete="off" onkeydown={(event) => event.stopPropagation()} data-try-program />
      </label>
    </div>
    <p class={['mt-1 min-h-5', problem && 'text-error']} role="status" data-tried>{problem || (tried ? `${tried.words.charAt(0).toUpperCase()}${tried.words.slice(1)}.` : '')}</p>
  </div>
</section>
