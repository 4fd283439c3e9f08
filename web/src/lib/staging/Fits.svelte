<!-- How a crate fits the servers of its rulebook: those that it fits, and why not the others. Where
     it tells nothing, nothing is said. -->
<script lang="ts">
  import type { Crate } from '../api/client';

  let { crate, only }: { crate: Crate; only?: 'bad' } = $props();
  let fits = $derived((crate.fits ?? []).filter((f) => f.state === 'fits').map((f) => f.server));
  let bad = $derived((crate.fits ?? []).filter((f) => f.state !== 'fits' && f.state !== 'unknown'));
  let unknown = $derived(
    (crate.facts ?? []).length === 0
      ? []
      : (crate.fits ?? []).filter((f) => f.state === 'unknown' && f.why !== 'it does not tell what it is for')
  );
</script>

{#if fits.length && !only}<div><span class="label mr-1">fits</span>{fits.join(', ')}</div>{/if}
{#each bad as f (f.server)}
  <div data-unfit={f.server}>
    <span class="block-ink">does not fit {f.server}</span>: <span class="reason">{f.why}</span>
  </div>
{/each}
{#if !only}
  {#each unknown as f (f.server)}
    <div><span class="label mr-1">{f.server}</span><span class="reason">{f.why}</span></div>
  {/each}
{/if}
