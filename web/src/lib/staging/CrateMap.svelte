<!-- The map of a crate: as downloaded, why, on the server; what is left out last. -->
<script lang="ts">
  import type { Crate, Place } from '../api/client';
  import { count } from '../format';
  import { fold, groupBy } from './fold';
  import CratePlace from './CratePlace.svelte';
  import MapLine from './MapLine.svelte';
  import { belowRoot } from './nearest';

  interface Props {
    crate: Crate;
    places: Place[];
    /** Only shown: nothing can be placed. */
    fixed?: boolean;
  }
  let { crate, places, fixed = false }: Props = $props();

  let pathOf = $derived(Object.fromEntries(places.map((p) => [p.name, p.path === '.' ? '' : p.path])));
  const join = (folder: string | undefined, path: string) => (folder ? `${folder}/${path}` : path);

  let groups = $derived(
    groupBy(crate.files ?? [], (f) => f.place).map(([place, files]) => ({
      place,
      about: places.find((p) => p.name === place)?.about,
      ways: files.map((f) => ({
        ...f,
        target: join(pathOf[place] ?? place, f.into ? `${f.into}!/${f.path}` : f.path)
      }))
    }))
  );
  let folders = $derived(
    (crate.folders ?? []).map((f) => ({
      source: `${f.source}/`,
      target: `${join(pathOf[f.place] ?? f.place, f.path)}/`,
      reason: 'It is empty, and is made there too.',
      ways: []
    }))
  );
  let placing = $state(false);
  let glob = $state('');

  function place(source: string) {
    glob = belowRoot(crate.root, source) ?? source;
    placing = true;
  }
  const canPlace = (source: string) => !fixed && belowRoot(crate.root, source) !== undefined;

  let unsettled = $derived((crate.left ?? []).filter((l) => !l.settled));
  let left = $derived((crate.left ?? []).filter((l) => l.settled));
</script>

<div class="box mt-3.5">
  <div class="cols head label" aria-hidden="true">
    <span>As downloaded</span><span>Why</span><span>On the server</span>
  </div>
  {#if unsettled.length}
    <h3 class="bar warn-ink">No rule speaks of these · {count(unsettled.length, 'file')}</h3>
    {#each fold(unsettled) as line (line.source + line.reason)}<MapLine
        {line}
        onplace={canPlace(line.source) ? place : undefined}
      />{/each}
  {/if}
  {#each groups as g (g.place)}
    <h3 class="bar">
      {g.place} · {count(g.ways.length, 'file')}
      {#if g.about}<span class="reason font-text font-normal">{g.about}</span>{/if}
    </h3>
    {#each fold(g.ways) as line (line.source + line.target)}<MapLine {line} />{/each}
  {/each}
  {#if folders.length}
    <h3 class="bar">Empty folders · {folders.length}</h3>
    {#each folders as line (line.source)}<MapLine {line} />{/each}
  {/if}
  {#if left.length}
    <h3 class="bar">Left out · {count(left.length, 'file')}</h3>
    {#each fold(left) as line (line.source + line.reason)}<MapLine
        {line}
        out
        onplace={canPlace(line.source) ? place : undefined}
      />{/each}
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
