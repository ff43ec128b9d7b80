<!-- To a drawer, by typing a part of its name. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import DrawerPicker from '../clip/DrawerPicker.svelte';
  import { t } from '../../language/language.svelte';

  let { console }: { console: Console } = $props();

  async function go(id: string): Promise<boolean> {
    if (!console.drawers.get(id)) await console.drawers.read().catch(() => {});
    console.go({ view: 'drawer', id, query: '' });
    return true;
  }

  function leave(): void {
    console.jumping = false;
    console.focusPage();
  }
</script>

<div class="bg-base-100 border-base-content/20 fixed inset-x-2 top-3 z-30 mx-auto max-h-[calc(100%-1.5rem)] max-w-md overflow-y-auto rounded-xl border px-4 pt-3 pb-4 shadow-2xl" role="dialog" aria-label={t('Jump to a drawer')} data-jumping>
  <h2 class="font-semibold">{t('Jump to a drawer')}</h2>
  <DrawerPicker {console} label={t('Which drawer to go to')} onpick={go} onend={leave} />
</div>
