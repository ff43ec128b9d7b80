<!-- Every other setting, with where it comes from; and what this browser prefers. -->
<script lang="ts">
  import { saveBlob } from '../../border/files';
  import { chime } from '../../border/sound';
  import type { Setting } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { inField, ofField, type Changes } from '../../state/settings.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { settings, prefs } = $derived(console);
  const elsewhere = ['limits.clips', 'limits.days', 'limits.bytes', 'limits.one', 'rules', 'orders', 'secrets.off', 'secrets.minutes'];
  const others = $derived((settings.all?.settings ?? []).filter((one) => !elsewhere.includes(one.name)));
  let typed = $state<Record<string, string>>({});

  const start = $derived(settings.autostart);
  const isOn = $derived(start !== null && typeof start !== 'string' && start.on);
  const starts = $derived.by(() => {
    if (start === null) return '…';
    if (typeof start === 'string') return start;
    if (!start.on) return t('it does not');
    return start.by === 'unit' ? t('by a unit of your systemd: {file}', { file: start.file ?? '' }) : t('by an entry of your desktop: {file}', { file: start.file ?? '' });
  });

  /** What could not be done is not shown as done. */
  async function startWith(box: HTMLInputElement): Promise<void> {
    await settings.setAutostart(box.checked);
    box.checked = isOn;
  }

  /** It is heard at once, so that one knows what one has chosen. */
  function sound(on: boolean): void {
    prefs.sound = on;
    prefs.save();
    if (on) chime();
  }

  async function set(one: Setting): Promise<void> {
    const text = typed[one.name];
    if (text === undefined) return;
    if (await settings.set({ [one.name]: ofField(text) }, one.live ? t('{name} is set.', { name: one.name }) : t('{name} is set, and holds from the next start on.', { name: one.name }))) delete typed[one.name];
  }

  function save(): void {
    const changes = Object.fromEntries((settings.all?.settings ?? []).filter((one) => one.from === 'file').map((one) => [one.name, one.value]));
    saveBlob(new Blob([JSON.stringify({ changes }, null, 2)], { type: 'application/json' }), 'yadori-settings.json');
  }

  async function bringIn(event: Event): Promise<void> {
    const field = event.currentTarget as HTMLInputElement;
    const file = field.files?.[0];
    if (!file) return;
    try {
      const read = JSON.parse(await file.text()) as { changes?: Changes };
      if (!read.changes) throw new Error(t('this file holds no exported settings'));
      await settings.set(read.changes, t('The settings of the file hold now.'));
    } catch (why) {
      console.messages.fail(why);
    } finally {
      field.value = '';
    }
  }
</script>

<section aria-labelledby="other-title" data-other>
  <div class="flex flex-wrap items-center gap-2">
    <h2 class="grow font-semibold" id="other-title">{t('Everything else')}</h2>
    <button type="button" class="btn btn-sm btn-ghost touch" onclick={save}>{t('Export what is set')}</button>
    <label class="btn btn-sm btn-ghost touch relative">{t('Import')}<input type="file" class="sr-only" accept=".json" onchange={(event) => void bringIn(event)} /></label>
  </div>
  <ul class="mt-1">
    {#each others as one (one.name)}
      <li class="border-base-300 border-t py-1.5">
        <form class="grid grid-cols-[1fr_auto] items-center gap-x-3 gap-y-1 md:grid-cols-[1fr_16rem_3.5rem]" onsubmit={(event) => { event.preventDefault(); void set(one); }}>
          <label class="col-span-full min-w-0 md:col-span-1" for="set-{one.name}">
            {one.about}
            <span class="facts block"><code>{one.name}</code> · {one.expected} · {one.from === 'file' ? t('set') : t('usual')}{one.live ? '' : ` · ${t('from the next start on')}`}</span>
          </label>
          {#if one.in_console}
            <input class="field h-9 w-full" id="set-{one.name}" value={typed[one.name] ?? inField(one.value)} oninput={(event) => (typed[one.name] = event.currentTarget.value)} autocomplete="off" spellcheck="false" onkeydown={(event) => event.stopPropagation()} data-setting={one.name} />
            <button type="submit" class="btn btn-sm btn-soft touch h-9" disabled={typed[one.name] === undefined} aria-label={t('Set {name}', { name: one.name })}>{t('Set')}</button>
          {:else}
            <p class="facts col-span-full wrap-anywhere md:col-span-2" id="set-{one.name}">{inField(one.value) || '—'} · {t('set with')} <code>yadori settings</code></p>
          {/if}
        </form>
      </li>
    {/each}
    <li class="border-base-300 flex flex-wrap items-center gap-x-3 gap-y-1 border-t py-1.5" data-autostart>
      <label class="min-w-0 grow" for="autostart">{t('Start with the desktop')} <span class="facts block wrap-anywhere">{starts}</span></label>
      <input type="checkbox" class="checkbox touch" id="autostart" checked={isOn} disabled={start === null || typeof start === 'string'} onchange={(event) => void startWith(event.currentTarget)} />
    </li>
    <li class="border-base-300 flex flex-wrap items-center gap-x-3 gap-y-1 border-t py-1.5">
      <label class="min-w-0 grow" for="sound">{t('A soft sound at each copy, from this page')} <span class="facts block">{t('kept by this browser; the one of the desktop is signs.sound')}</span></label>
      <input type="checkbox" class="checkbox touch" id="sound" checked={prefs.sound} onchange={(event) => sound(event.currentTarget.checked)} data-sound />
    </li>
  </ul>
</section>
