<!-- Whose value stays, where the server and a new version both changed it: the draft is made
     anew with the decision. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Deployment, type Finding } from '../api/client';
  import { result } from '../api/jobs';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { deployment: d, finding }: { deployment: Deployment; finding: Finding } = $props();
  const client = useQueryClient();
  let busy = $state(false);
  let error = $state<unknown>();
  let at = $derived(finding.remedies?.find((r) => r.do === 'keep-mine')?.with ?? '');

  async function decide(side: 'mine' | 'theirs') {
    busy = true;
    error = undefined;
    try {
      const next = await result<Deployment>(
        await ok(
          api.POST('/servers/{server}/deployments/{number}/decide', {
            params: { path: { server: d.server, number: d.number } },
            body: { keep: { [at]: side } }
          })
        )
      );
      await client.invalidateQueries({ queryKey: ['status', d.server] });
      await navigate('/servers/:server/deployments/:number', {
        params: { server: d.server, number: String(next.number) }
      });
    } catch (e) {
      error = e;
    } finally {
      busy = false;
    }
  }
</script>

<div class="flex flex-wrap gap-2" data-decide={at}>
  <Button disabled={busy} onclick={() => decide('mine')}>Keep the server’s</Button>
  <Button disabled={busy} onclick={() => decide('theirs')}>Take the new one</Button>
</div>
{#if error}<Trouble {error} />{/if}
