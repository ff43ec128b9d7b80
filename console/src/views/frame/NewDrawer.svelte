<!-- A new drawer: its name, then one is in it. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';
  import TypedForm from '../parts/TypedForm.svelte';
  import { t } from '../../language/language.svelte';

  let { console, onend }: { console: Console; onend: () => void } = $props();

  async function make(name: string): Promise<boolean> {
    const done = await console.acts.run([], () => console.service.newDrawer(name, null, null), () => t('Made the drawer {name}.', { name }));
    if (!done) return false;
    onend();
    await console.drawers.read().catch(() => {});
    if (done.made) console.go({ view: 'drawer', id: done.made, query: '' });
    return true;
  }

  function leave(): void {
    onend();
    console.focusPage();
  }
</script>

<TypedForm {console} keeps="new-drawer" label={t('Name of the new drawer')} placeholder={t('Name, then Enter')} save={t('Make')} onsave={make} onleave={leave} />
