<!-- On a narrow page: the drawers, and the way to everything that has no room in the bar. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import DrawerList from '../frame/DrawerList.svelte';
  import LampCard from '../frame/LampCard.svelte';

  let { console }: { console: Console } = $props();
</script>

<main class="min-h-0 min-w-0 grow overflow-y-auto p-4" id="stream" tabindex="-1">
  <h1 class="text-base font-semibold">Drawers</h1>
  <div class="mt-2 text-[15px] leading-8"><DrawerList {console} /></div>
  <ul class="border-base-300 mt-4 border-t pt-3 text-[15px] leading-9">
    <li><a class="block" href="#/insight">Insight</a></li>
    <li><a class="block" href="#/acts">Recent acts</a></li>
    <li><a class="block" href="#/help">Help</a></li>
  </ul>
  <div class="mt-4"><LampCard {console} /></div>
</main>
