<!-- Choosing what goes onto a server: the crates of its rulebook, the newest first. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { p } from '../../router';
  import type { Addon, Server } from '../api/client';
  import { crates, pallets } from '../api/queries';
  import { count, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Filter from '../ui/Filter.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import DraftingNote from './DraftingNote.svelte';
  import { Drafting } from './drafting.svelte';

  let { open = $bindable(), server, addons }: { open: boolean; server: Server; addons: Addon[] } = $props();

  const list = createQuery(() => ({ ...crates(server.rulebook), enabled: open }));
  const packs = createQuery(() => ({ ...pallets(server.rulebook), enabled: open }));
  const drafting = new Drafting();
  $effect(() => {
    if (!open) drafting.cancel(); // nobody waits for it any more
  });
  let chosen = $state<Record<string, boolean>>({});
  let find = $state('');
  let refs = $derived(Object.keys(chosen).filter((ref) => chosen[ref]));
  let shown = $derived(
    (list.data ?? []).filter((c) => c.label.toLowerCase().includes(find.trim().toLowerCase()))
  );

  let shownPacks = $derived(
    (packs.data ?? []).filter((p) => p.label.toLowerCase().includes(find.trim().toLowerCase()))
  );

  function there(name: string): string {
    const a = addons.find((a) => a.name === name);
    return a ? `${a.version} is there` : '';
  }
</script>

<Sheet
  bind:open
  title="Deploy to {server.name}"
  about="Choose what is to be there. The server is looked at and a draft is shown; nothing is touched before you run it."
  wide
>
  {#if list.error}<Trouble error={list.error} />{/if}
  {#if list.data?.length === 0}
    <p class="mb-3">Nothing is staged for the rulebook {server.rulebook} yet.</p>
    <Button kind="main" href={p('/staging')}>Stage an archive</Button>
  {:else if list.data}
    <div class="mb-2"><Filter bind:find label="Find a crate" /></div>
    <div class="box max-h-[50vh] overflow-y-auto">
      {#each shownPacks as p (p.label)}
        <div class="row flex flex-wrap items-center gap-x-3 px-3 py-1.5">
          <Tick bind:checked={() => chosen[p.label] ?? false, (v) => (chosen[p.label] = v)}>
            <b>{p.name}</b> <span class="mono">{p.version}</span>
          </Tick>
          <span class="label">pallet</span>
          <span class="reason ml-auto" title={p.crates.join(', ')}
            >{count(p.crates.length, 'add-on')} together</span
          >
        </div>
      {/each}
      {#each shown as c (c.digest)}
        <div class="row flex flex-wrap items-center gap-x-3 px-3 py-1.5">
          <Tick bind:checked={() => chosen[c.ref] ?? false, (v) => (chosen[c.ref] = v)}>
            <b>{c.name}</b> <span class="mono">{c.version}</span>
          </Tick>
          <span class="reason">{there(c.name)}</span>
          <span class="reason ml-auto">{count(c.fileCount, 'file')}, {size(c.size)}</span>
        </div>
      {:else}
        <p class="p-3 text-ink-soft">No crate has “{find}” in its name.</p>
      {/each}
    </div>
    <DraftingNote {drafting} />
    <div class="mt-3 flex items-center gap-3">
      <Button
        kind="main"
        disabled={refs.length === 0 || drafting.busy}
        onclick={() => drafting.start(server.name, { crates: refs })}
      >
        Draft it
      </Button>
      <span class="text-ink-soft">{refs.length ? `${refs.length} chosen` : 'none chosen'}</span>
    </div>
  {/if}
</Sheet>
