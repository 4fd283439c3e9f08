<!-- What changed in a rulebook between two of its revisions. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Rulebook } from '../api/client';
  import { rulebookTurn } from '../api/queries';
  import Diff from '../deploy/Diff.svelte';
  import { clock } from '../format';
  import Labelled from '../ui/Labelled.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { book }: { book: Rulebook } = $props();
  // svelte-ignore state_referenced_locally
  let from = $state(Math.max(1, book.revision - 1));
  // svelte-ignore state_referenced_locally
  let to = $state(book.revision);
  let all = $derived(Array.from({ length: book.revision }, (_, i) => book.revision - i));
  let only = $derived(book.revision < 2);
  const q = createQuery(() => ({ ...rulebookTurn(book.name, from, to), enabled: !only }));
</script>

{#if only}<p class="text-ink-soft">This is its first revision: there is none to put beside it.</p>{/if}
<div class="mb-3 flex flex-wrap gap-3" hidden={only}>
  <Labelled label="Revision">
    <select class="input w-auto" bind:value={from}
      >{#each all as n (n)}<option value={n}>{n}</option>{/each}</select
    >
  </Labelled>
  <Labelled label="Beside">
    <select class="input w-auto" bind:value={to}
      >{#each all as n (n)}<option value={n}>{n}</option>{/each}</select
    >
  </Labelled>
</div>
{#if q.error}<Trouble error={q.error} />{/if}
{#if q.data}
  <p class="reason mb-2">
    {q.data.from.revision} by {q.data.from.actor}, {clock(q.data.from.createdAt)}; {q.data.to.revision} by {q
      .data.to.actor}, {clock(q.data.to.createdAt)}
  </p>
  {#if q.data.diff}<Diff diff={q.data.diff} />{:else}<p class="text-ink-soft">They are the same.</p>{/if}
{/if}
