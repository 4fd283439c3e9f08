<!-- What a rulebook that is not kept would make of a download. -->
<script lang="ts">
  import type { StagedByBook } from '../api/client';
  import CrateMap from '../staging/CrateMap.svelte';
  import FindingRow from '../ui/FindingRow.svelte';

  let { tried, filename }: { tried: StagedByBook; filename: string } = $props();
</script>

<section class="mt-6" data-tried={filename}>
  <h2>Of {filename} it would make</h2>
  {#each tried.crates as c (c.digest)}
    <p class="mt-2"><b>{c.label}</b> <span class="reason">{c.why}</span></p>
    <CrateMap crate={c} places={[]} fixed />
  {:else}
    <p class="text-ink-soft">Nothing: no kind recognises it.</p>
  {/each}
  {#if tried.findings.length}
    <div class="box mt-2">
      {#each tried.findings as f (f.code + f.what)}<FindingRow finding={f} />{/each}
    </div>
  {/if}
</section>
