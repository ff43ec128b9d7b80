<!-- Standing orders: clearings that happen by themselves, with what they did last. -->
<script lang="ts">
  import type { Kind, Order } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { count, moment, shown } from '../../state/words';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();
  const { settings } = $derived(console);
  const orders = $derived(settings.orders?.orders ?? []);
  let on = $state('');
  let kind = $state<Kind | ''>('');
  let program = $state('');

  async function add(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const order: Order = { on: on.trim(), clear: { ...(kind ? { kind } : {}), ...(program.trim() ? { program: program.trim() } : {}) } };
    if (await settings.setOrders([...orders.map((one) => one.order), order], t('It acts from now on.'))) [on, program, kind] = ['', '', ''];
  }

  const remove = (n: number) => settings.setOrders(orders.filter((_, at) => at !== n).map((one) => one.order), t('The order is gone.'));
</script>

<section aria-labelledby="orders-title" data-orders>
  <h2 class="font-semibold" id="orders-title">{t('Standing orders')}</h2>
  <p class="facts">{t('Clearings that happen by themselves, on this device only: at the start, at the end (logout, shutdown), when the screen is locked, at a time of day, or some time after each copy.')}</p>
  <ol class="mt-1">
    {#each orders as one, n (n)}
      <li class="border-base-300 flex items-center gap-x-3 border-t py-1.5">
        <span class="min-w-0 grow">
          {shown(one.words)}
          <span class="facts block">
            {#if one.next}{t('next {at}', { at: moment(one.next / 1000) })}{one.last ? '; ' : ''}{/if}{#if one.last}{one.failed ? t('last {at}: it could not: {why}', { at: moment(one.last / 1000), why: one.failed }) : t('last {at}: cleared {clips}', { at: moment(one.last / 1000), clips: count(one.cleared ?? 0, 'clip') })}{:else if !one.next}{t('has not acted yet')}{/if}
          </span>
        </span>
        <button type="button" class="btn btn-sm btn-ghost text-error touch" aria-label={t('Remove order {n}', { n: n + 1 })} onclick={() => void remove(n)}>{t('Remove')}</button>
      </li>
    {:else}<li class="facts py-1">{t('There are none.')}</li>{/each}
  </ol>
  <form class="mt-1 flex flex-wrap items-end gap-2" onsubmit={(event) => void add(event)}>
    <label class="min-w-0 grow">{t('When')}
      <input class="field h-9 w-full" list="occasions" bind:value={on} placeholder="daily 18:30" autocomplete="off" onkeydown={(event) => event.stopPropagation()} data-order-on />
    </label>
    <datalist id="occasions">{#each ['start', 'stop', 'lock', 'daily 18:30', 'after 2h', 'after 30d'] as value (value)}<option {value}></option>{/each}</datalist>
    <label>{t('Clear')}
      <select class="field block h-9" bind:value={kind}><option value="">{t('everything')}</option><option value="text">{t('texts')}</option><option value="link">{t('links')}</option><option value="image">{t('pictures')}</option><option value="files">{t('files')}</option></select>
    </label>
    <label class="min-w-0">{t('From')}
      <input class="field block h-9 w-36" bind:value={program} placeholder={t('any program')} autocomplete="off" onkeydown={(event) => event.stopPropagation()} />
    </label>
    <button type="submit" class="btn btn-sm btn-soft touch h-9" disabled={on.trim() === ''}>{t('Add the order')}</button>
  </form>
</section>
