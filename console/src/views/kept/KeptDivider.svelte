<!-- A heading among kept things, with the ways to change it. -->
<script lang="ts">
  import type { Console } from '../../state/console.svelte';

  let { console, place, divider }: { console: Console; place: string | null; divider: { id: string; name: string } } = $props();
  let renaming = $state(false);

  async function rename(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    const name = String(new FormData(event.currentTarget as HTMLFormElement).get('name') ?? '').trim();
    if (name && place !== null) {
      await console.acts.run(console.service.changeDivider(place, divider.id, { name }), () => `Renamed to ${name}.`);
    }
    renaming = false;
  }

  const remove = () =>
    console.acts.run(console.service.removeDivider(place ?? '', divider.id), () => 'The divider was removed.');
</script>

{#if renaming}
  <form class="flex grow gap-1.5" onsubmit={(event) => void rename(event)}>
    <input
      name="name"
      class="border-base-content/25 rounded-field h-7 max-w-sm grow border bg-transparent px-2"
      value={divider.name}
      maxlength="80"
      aria-label="Words of the divider"
      {@attach (node) => node.focus()}
    />
    <button type="submit" class="btn btn-xs btn-soft">Save</button>
  </form>
{:else}
  <h2 class="grow font-semibold">{divider.name}</h2>
  <span class="flex gap-1 opacity-0 group-hover:opacity-100 group-focus-within:opacity-100">
    <button type="button" class="btn btn-xs btn-ghost" onclick={() => (renaming = true)}>Rename</button>
    <button type="button" class="btn btn-xs btn-ghost text-error" onclick={() => void remove()}>Remove</button>
  </span>
{/if}
