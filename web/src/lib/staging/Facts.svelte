<!-- What manifests tell of a crate, and what a person's corrections did. -->
<script lang="ts">
  import type { Crate } from '../api/client';
  import Button from '../ui/Button.svelte';
  import Fits from './Fits.svelte';
  import Uncorrect from './Uncorrect.svelte';

  let { crate }: { crate: Crate } = $props();
  let taking = $state(false);
</script>

{#if crate.facts?.length || crate.corrected?.length || crate.says?.length}
  <div class="border-t border-rule px-4 py-2 first:border-t-0">
    {#each crate.facts ?? [] as f (f.kind + f.name + f.range)}
      <span class="mr-5 inline-block">
        <span class="label mr-1">{f.kind}</span>
        {#if f.name}<b>{f.name}</b>{/if}
        {#if f.range}<span class="mono">{f.range}</span>{/if}
        <span class="reason">{f.from}</span>
      </span>
    {/each}
    <Fits {crate} />
    {#each crate.says ?? [] as s (s.source + s.line)}
      <div>
        <span class="label mr-1">the author says</span>
        {s.text}
        <span class="reason">{s.source}, line {s.line}</span>
      </div>
    {/each}
    {#each crate.corrected ?? [] as said (said)}
      <div><span class="level note-ink mr-3 inline-block px-2.5">yours</span>{said}</div>
    {/each}
    {#if crate.corrected?.length}
      <div class="mt-1"><Button onclick={() => (taking = true)}>Take corrections back…</Button></div>
      <Uncorrect bind:open={taking} {crate} />
    {/if}
  </div>
{/if}
