<!-- The map of a crate: as downloaded, why, on the server; what is left out last. -->
<script lang="ts">
  import { SvelteSet } from 'svelte/reactivity';
  import type { Crate, Place } from '../api/client';
  import { count } from '../format';
  import Filter from '../ui/Filter.svelte';
  import VirtualRows from '../ui/VirtualRows.svelte';
  import CratePlace from './CratePlace.svelte';
  import MapLine from './MapLine.svelte';
  import { mapRows, type MapRow } from './maprows';
  import { belowRoot } from './nearest';

  interface Props {
    crate: Crate;
    places: Place[];
    /** Only shown: nothing can be placed. */
    fixed?: boolean;
  }
  let { crate, places, fixed = false }: Props = $props();

  let find = $state('');
  const opened = new SvelteSet<string>();
  let rows = $derived(mapRows(crate, places, opened, find));
  let many = $derived((crate.files?.length ?? 0) + (crate.left?.length ?? 0) > 12);
  let placing = $state(false);
  let glob = $state('');

  function place(source: string) {
    glob = belowRoot(crate.root, source) ?? source;
    placing = true;
  }
  const canPlace = (source: string) => !fixed && belowRoot(crate.root, source) !== undefined;
  const brief = (r: MapRow) => (r.kind === 'bar' ? r.words : (r.kind === 'line' ? r.line : r.way).source);
  const turn = (key: string) => void (opened.has(key) ? opened.delete(key) : opened.add(key));
</script>

{#if many}
  <div class="mt-3.5 -mb-1.5"><Filter bind:find label="Find a file of this crate" /></div>
{/if}
<div class="box mt-3.5" style="--brief:var(--paper)" data-map>
  <div class="cols head label" aria-hidden="true">
    <span>As downloaded</span><span>Why</span><span>On the server</span>
  </div>
  <VirtualRows items={rows} keyOf={(r) => r.key} {brief} height={33}>
    {#snippet row(r)}
      {#if r.kind === 'bar'}
        <h3 class="bar {r.tone ? `${r.tone}-ink` : ''}">
          {r.words} · {count(r.files, 'file')}
          {#if r.about}<span class="reason font-text font-normal">{r.about}</span>{/if}
        </h3>
      {:else if r.kind === 'line'}
        <MapLine
          way={r.line}
          many={r.line.ways.length}
          why={r.line.reason}
          out={r.out}
          open={r.open}
          onopen={() => turn(r.key)}
          onplace={r.places && canPlace(r.line.source) ? place : undefined}
        />
      {:else}
        <MapLine way={r.way} inner out={r.out} />
      {/if}
    {/snippet}
  </VirtualRows>
  {#if find && rows.length === 0}
    <p class="px-4 py-3 text-ink-soft">No file of this crate has “{find}” in its path or its reason.</p>
  {/if}
</div>

{#if !fixed}<CratePlace bind:open={placing} {crate} {places} {glob} />{/if}

<style>
  .bar {
    padding: 5px 14px;
    background: var(--rule-faint);
    font: 600 14px/1.3 var(--font-label);
  }
  .head {
    border-bottom: 1.5px solid var(--ink);
  }
  @media (max-width: 767px) {
    .head {
      display: none !important;
    }
  }
  .cols > span {
    padding: 9px 14px;
  }
  .cols {
    display: grid;
    grid-template-columns: minmax(0, 1.5fr) minmax(0, 1fr) minmax(0, 1.5fr);
  }
</style>
