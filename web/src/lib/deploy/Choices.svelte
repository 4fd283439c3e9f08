<!-- What can be decided about a draft by one click; it is drafted anew. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import type { Deployment, Finding } from '../api/client';
  import { attempting } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { choicesOf, decide } from './decide';

  let { deployment: d, finding }: { deployment: Deployment; finding: Finding } = $props();
  const client = useQueryClient();
  const deciding = attempting();
  let choices = $derived(choicesOf(finding.remedies));
</script>

<div class="flex flex-wrap items-center gap-2 px-4 pb-3 sm:pl-[104px]" data-choices>
  {#each choices as c (c.words)}
    <Button
      disabled={deciding.busy !== ''}
      onclick={() => deciding.run('decide', () => decide(client, d, c.decision))}>{c.words}</Button
    >
  {/each}
  {#if deciding.error}<Trouble error={deciding.error} />{/if}
</div>
