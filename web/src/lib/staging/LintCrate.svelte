<!-- What is wrong with the texts of a crate: mistakes that its author left in them. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { lintOfCrate } from '../api/queries';
  import { count } from '../format';
  import TextFindings from '../texts/TextFindings.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { open = $bindable(), digest }: { open: boolean; digest: string } = $props();
  const q = createQuery(() => ({ ...lintOfCrate(digest), enabled: open }));
</script>

<Sheet bind:open title="Mistakes in its texts" wide>
  {#if q.error}<Trouble error={q.error} />{/if}
  {#if q.isPending}<p role="status">Reading its texts…</p>{/if}
  {#if q.data}
    <p class="mb-2" role="status">
      {#if q.data.texts === 0}Nothing in it is a text that can be looked over.{:else}
        {q.data.findings.length ? count(q.data.findings.length, 'finding') : 'No findings'} in
        {count(q.data.texts, 'text')}.{/if}
    </p>
    {#if q.data.findings.length}<TextFindings findings={q.data.findings} />{/if}
  {/if}
</Sheet>
