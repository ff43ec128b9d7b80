<script lang="ts">
  import HistoryIcon from '@lucide/svelte/icons/history';

  import type { Console } from '../state/console.svelte';
  import KeysList from './KeysList.svelte';
  import LampCard from './LampCard.svelte';
  import Mark from './Mark.svelte';

  let { console }: { console: Console } = $props();
</script>

<nav
  aria-label="Places"
  class="bg-base-200 border-base-300 hidden w-52 shrink-0 flex-col border-r p-3 sm:flex"
>
  <div class="flex items-center gap-2.5 px-2 pt-1.5 pb-4">
    <Mark look={console.lamp.look} />
    <span class="text-base font-semibold tracking-tight">Yadori</span>
  </div>
  <a
    href="#history"
    aria-current="page"
    class="bg-base-100 flex items-center gap-2.5 rounded-lg px-2.5 py-1.5 font-medium"
    onclick={(event) => {
      event.preventDefault();
      document.getElementById('stream')?.focus();
    }}
  >
    <HistoryIcon size={15} aria-hidden="true" class="text-primary" />
    <span class="grow">History</span>
    <span class="facts figures">{console.history.length.toLocaleString('en')}</span>
  </a>
  <div class="mt-5 px-2.5"><KeysList /></div>
  <div class="mt-auto"><LampCard {console} /></div>
</nav>
