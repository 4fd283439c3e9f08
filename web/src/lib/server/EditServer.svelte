<!-- The sheet that changes a server. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Server } from '../api/client';
  import Labelled from '../ui/Labelled.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import ReachForm from './ReachForm.svelte';
  import { reachOf, said } from './transport';

  let { open = $bindable(), server }: { open: boolean; server: Server } = $props();
  const client = useQueryClient();
  let name = $derived(server.name);
  let reach = $derived(reachOf(server.transport));
  let variables = $derived({ ...server.variables });
  let forgetKey = $state(false);

  $effect(() => {
    if (!open) reach.password = reach.passphrase = reach.key = ''; // secrets do not stay
  });

  async function send() {
    const body = {
      ...(name !== server.name && { name }),
      version: server.version,
      variables,
      forgetKey,
      ...said(reach)
    };
    const now = await ok(api.PATCH('/servers/{server}', { params: { path: { server: server.name } }, body }));
    return async () => {
      await navigate('/servers/:server/:tab', { params: { server: now.name, tab: 'about' }, replace: true });
      await client.invalidateQueries();
    };
  }
</script>

<FormSheet
  bind:open
  title="Edit {server.name}"
  about="A secret that is left empty stays as it is."
  words={['Save', 'Saving…']}
  {send}
>
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
</FormSheet>
