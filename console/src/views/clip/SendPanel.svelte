<!-- To which device a clip is sent: those that there were when it was opened. -->
<script lang="ts">
  import { onMount, untrack } from 'svelte';

  import type { Device, Row } from '../../api/types';
  import type { Console } from '../../state/console.svelte';
  import { t } from '../../language/language.svelte';

  let { console, row, onend }: { console: Console; row: Row; onend: () => void } = $props();
  const among = untrack(() => console.devices.others);
  let box = $state<HTMLElement>();
  onMount(() => box?.querySelector('button')?.focus());

  async function send(device: Device): Promise<void> {
    if (await console.devices.send(row.id, device)) onend();
  }

  function onKey(event: KeyboardEvent): void {
    if (console.keys.command(event, 'form') !== 'leave') return;
    event.stopPropagation();
    event.preventDefault();
    onend();
  }
</script>

<div bind:this={box} class="mt-2 flex flex-wrap items-center gap-1" role="toolbar" aria-label={t('To which device')} onkeydown={onKey} tabindex="-1">
  <span class="text-soft mr-1 text-sm">{t('Send to')}</span>
  {#each among as device (device.id)}
    <button type="button" class="btn btn-sm touch max-w-60" onclick={() => void send(device)}><span class="truncate">{device.name}</span></button>
  {/each}
</div>
