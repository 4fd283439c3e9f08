<!-- What happened to one path, the newest first, and the way back by one change. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { State } from '../api/client';
  import { history } from '../api/queries';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { clock, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server, path }: { server: string; path: string } = $props();
  const q = createQuery(() => history(server, path));
  const drafting = new Drafting();

  function stood(s: State, crates: string[]): string {
    if (s.being === 'absent') return 'nothing';
    if (s.being === 'folder') return 'a folder';
    if (s.being !== 'content') return 'something unknown';
    return `${crates.join(', ') || 'a file of the server’s own'}, ${size(s.size ?? 0)}`;
  }
</script>

{#if q.error}<Trouble error={q.error} />{/if}
<DraftingNote {drafting} />
{#each q.data ?? [] as e, i (e.seq)}
  <div class="row flex flex-wrap items-center gap-x-4 gap-y-1 py-1.5">
    <span class="mono w-24">{e.deployment ?? e.cause}</span>
    <span class="reason w-32">{clock(e.at)}</span>
    <span class="min-w-0 flex-1"
      >{#if e.did?.length}<b class="font-label">edited</b>: {e.did.join(', ')}{:else}{stood(
          e.before,
          e.cratesBefore
        )} <b class="font-label">became</b>
        {stood(e.after, e.cratesAfter)}{/if}</span
    >
    <span class="reason">by {e.actor}</span>
    {#if i === 0}
      <Button disabled={drafting.busy} onclick={() => drafting.start(server, { rollback: { path } })}
        >{drafting.busy ? 'Looking…' : 'Back one change'}</Button
      >
    {/if}
  </div>
{/each}
