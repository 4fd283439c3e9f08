<!-- Has a draft made anew with the decisions on its conflicts, as many as were made. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import type { Deployment, Finding } from '../api/client';
  import { attempting } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { decide } from './decide';
  import { decided, type Side } from './sides';

  interface Props {
    deployment: Deployment;
    conflicts: Finding[];
    chosen: Record<string, Side>;
  }
  let { deployment: d, conflicts, chosen }: Props = $props();
  const client = useQueryClient();
  const deciding = attempting();
  let decision = $derived(decided(conflicts, chosen));
</script>

<div class="flex flex-wrap items-center gap-3 border-t border-rule px-4 py-2">
  <Button
    kind="main"
    disabled={!decision || deciding.busy !== ''}
    onclick={() => decision && deciding.run('decide', () => decide(client, d, { keep: decision.keep }))}
    >Draft it anew</Button
  >
  <span class="text-ink-soft"
    >{#if !decision}Choose whose values stay. The choice is remembered for later versions.{:else if decision.left}{decision.left}
      more to be decided.{:else}All decided. The choice is remembered for later versions.{/if}</span
  >
  {#if deciding.error}<Trouble error={deciding.error} />{/if}
</div>
