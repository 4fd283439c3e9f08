<!-- The sheet that changes a server. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Server } from '../api/client';
  import { Attempt } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import ReachForm from './ReachForm.svelte';
  import { reachOf, said } from './transport';

  let { open = $bindable(), server }: { open: boolean; server: Server } = $props();
  const client = useQueryClient();
  let name = $derived(server.name);
  let reach = $derived(reachOf(server.transport));
  let variables = $derived({ ...server.variables });
  let forgetKey = $state(false);
  const attempt = new Attempt();

  async function save(e: SubmitEvent) {
    e.preventDefault();
    await attempt.run('send', async () => {
      const body = {
        ...(name !== server.name && { name }),
        version: server.version,
        variables,
        forgetKey,
        ...said(reach)
      };
      const now = await ok(
        api.PATCH('/servers/{server}', { params: { path: { server: server.name } }, body })
      );
      open = false;
      await navigate('/servers/:server/:tab', { params: { server: now.name, tab: 'about' }, replace: true });
      await client.invalidateQueries();
    });
  }
</script>

<Sheet bind:open title="Edit {server.name}" about="A secret that is left empty stays as it is.">
  <form class="space-y-3.5" onsubmit={save}>
    <Labelled label="Name" help="A new name keeps the numbers and the records."
      ><input class="input" required bind:value={name} /></Labelled
    >
    {#each Object.keys(variables) as v (v)}
      <Labelled label={v}><input class="input" bind:value={variables[v]} /></Labelled>
    {/each}
    <ReachForm bind:reach />
    {#if server.hostKey}<Tick bind:checked={forgetKey}
        >Forget the host's key; the next test shows the one it offers then</Tick
      >{/if}
    {#if attempt.error}<Trouble error={attempt.error} />{/if}
    <Button kind="main" type="submit" disabled={attempt.busy !== ''}
      >{attempt.busy ? 'Saving…' : 'Save'}</Button
    >
  </form>
</Sheet>
