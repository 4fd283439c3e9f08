<!-- What is wrong between the add-ons of a server: what one needs and does not have, or does not go
     together with. What is staged and mends it is a draft by one click. -->
<script lang="ts">
  import type { Finding, Status } from '../api/client';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import Button from '../ui/Button.svelte';
  import FindingRow from '../ui/FindingRow.svelte';

  let { status }: { status: Status } = $props();
  const drafting = new Drafting();
  const crates = (f: Finding) => (f.remedies ?? []).filter((r) => r.do === 'deploy').map((r) => r.with ?? '');
</script>

{#if status.company.length}
  <section class="mb-4 border border-rule" data-company>
    <p class="label px-4 pt-2">Between the add-ons</p>
    {#each status.company as f (f.what)}
      <FindingRow finding={f}>
        {#each crates(f) as crate (crate)}
          <Button
            disabled={drafting.busy}
            onclick={() => drafting.start(status.server.name, { crates: [crate] })}>Deploy {crate}…</Button
          >
        {/each}
      </FindingRow>
    {/each}
    <DraftingNote {drafting} />
  </section>
{/if}
