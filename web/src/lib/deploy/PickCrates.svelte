<!-- One version of each of some add-ons. -->
<script lang="ts">
  import type { Crate } from '../api/client';
  import { without } from '../without';
  import Filter from '../ui/Filter.svelte';
  import Tick from '../ui/Tick.svelte';
  import { offers } from './wish';

  interface Props {
    crates: Crate[];
    /** Refs, by add-on. */
    chosen: Record<string, string>;
  }
  let { crates, chosen = $bindable() }: Props = $props();
  let find = $state('');
  let shown = $derived(
    offers(crates, [], '').filter((o) => o.name.toLowerCase().includes(find.trim().toLowerCase()))
  );

  function turn(name: string, ref: string | undefined) {
    const rest = without(chosen, name);
    chosen = ref ? { ...rest, [name]: ref } : rest;
  }
</script>

<div>
  <Filter bind:find label="Find an add-on" />
  <div class="box mt-2 max-h-[36vh] overflow-y-auto">
    {#each shown as o (o.name)}
      <div class="row flex flex-wrap items-center gap-x-3 px-3 py-1.5" data-offer={o.name}>
        <Tick
          checked={chosen[o.name] !== undefined}
          onchange={(on) => turn(o.name, on ? o.first.ref : undefined)}><b>{o.name}</b></Tick
        >
        <select
          class="input mono min-h-6 w-auto py-0"
          aria-label="Version of {o.name}"
          value={chosen[o.name] ?? o.first.ref}
          onchange={(e) => turn(o.name, e.currentTarget.value)}
        >
          {#each o.crates as v (v.digest)}<option value={v.ref}>{v.version || v.label}</option>{/each}
        </select>
        <span class="reason ml-auto">{o.first.rulebook}</span>
      </div>
    {:else}
      <p class="p-3 text-ink-soft">No crate is there to choose.</p>
    {/each}
  </div>
</div>
