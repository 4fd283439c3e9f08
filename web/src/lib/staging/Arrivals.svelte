<!-- What came and is newer than what a server has: one press drafts it. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Crate } from '../api/client';
  import { statuses } from '../api/queries';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { clock } from '../format';
  import Button from '../ui/Button.svelte';
  import { arrivals } from './arrivals';

  let { crates }: { crates: Crate[] } = $props();
  const q = createQuery(statuses);
  const drafting = new Drafting();
  let rows = $derived(arrivals(crates, q.data ?? []));
  const most = 8; // the rest is on the servers' own pages
</script>

{#if rows.length}
  <h2 class="mt-6 mb-2">Newer than what is deployed</h2>
  <DraftingNote {drafting} />
  <div class="border border-rule">
    {#each rows.slice(0, most) as a (a.server + a.crate.digest)}
      <div
        class="row flex flex-wrap items-center gap-x-3.5 gap-y-1 px-4 py-2"
        data-arrival="{a.server} {a.crate.name}"
      >
        <span class="min-w-0 flex-1 basis-64">
          <b>{a.crate.name}</b>
          <span class="mono">{a.has}&nbsp;→ {a.crate.version}</span> on {a.server}
          <span class="reason block [overflow-wrap:anywhere]"
            >{a.from}{#if a.by}, by {a.by}{/if}, {clock(a.crate.stagedAt)}</span
          >
        </span>
        <Button disabled={drafting.busy} onclick={() => drafting.start(a.server, { crates: [a.crate.ref] })}
          >Draft it for {a.server}…</Button
        >
      </div>
    {/each}
    {#if rows.length > most}
      <p class="row px-4 py-2 text-ink-soft">
        {rows.length - most} more, on the <i>Updates</i> page of each server.
      </p>
    {/if}
  </div>
{/if}
