<!-- What of a draft was chosen, and the way to choose otherwise. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Deployment } from '../api/client';
  import { status } from '../api/queries';
  import Button from '../ui/Button.svelte';
  import DeployDialog from './DeployDialog.svelte';
  import { chosenWords, wishOf } from './wish';

  let { deployment: d }: { deployment: Deployment } = $props();
  let open = $state(false);
  let words = $derived(d.asked ? chosenWords(d.asked) : []);
  let drafted = $derived(d.state === 'draft');
  const q = createQuery(() => ({ ...status(d.server), enabled: drafted }));
  let change = $derived(d.asked && wishOf(d.asked, d.number));
</script>

{#if drafted || words.length}
  <div class="flex flex-wrap items-center gap-3 border-b border-rule px-4 py-2" data-asked>
    <span class="min-w-0 flex-1 basis-64"
      ><span class="label mr-2">Chosen</span>{words.length
        ? words.join('; ')
        : 'nothing but the versions'}</span
    >
    {#if drafted}<Button onclick={() => (open = true)}>Choose otherwise…</Button>{/if}
  </div>
{/if}
{#if drafted && q.data}
  <DeployDialog bind:open server={q.data.server} addons={q.data.addons} {change} />
{/if}
