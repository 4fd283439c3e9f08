<!-- What is open on a server keeps its slot, so it is told on every tab. -->
<script lang="ts">
  import { toDeployment } from '../../router';
  import type { Deployment } from '../api/client';
  import Button from '../ui/Button.svelte';

  let { deployment }: { deployment: Deployment } = $props();
  let halted = $derived(deployment.state === 'halted');
</script>

<div class="box mb-3.5 flex flex-wrap items-center gap-3 px-4 py-2.5">
  <span class="level px-3 {halted ? 'block-ink' : 'warn-ink'}">{deployment.state}</span>
  <span class="min-w-0 flex-1">
    <b>{deployment.name}</b>: {deployment.title}.
    {#if deployment.state === 'queued'}It waits for its turn.{/if}
    {#if halted}It stands half-way: finish it or take it back before anything else.{/if}
  </span>
  <Button kind={halted ? 'main' : 'plain'} href={toDeployment(deployment)}>Open {deployment.name}</Button>
</div>
