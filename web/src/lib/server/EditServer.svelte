<!-- The sheet that changes a server. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Server } from '../api/client';
  import { rulebooks } from '../api/queries';
  import Labelled from '../ui/Labelled.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import ReachForm from './ReachForm.svelte';
  import { reachOf, said } from './transport';

  let { open = $bindable(), server }: { open: boolean; server: Server } = $props();
  const client = useQueryClient();
  const books = createQuery(() => ({ ...rulebooks(), enabled: open }));
  let name = $derived(server.name);
  let book = $derived(server.rulebook);
  let reach = $derived(reachOf(server.transport));
  let variables = $derived({ ...server.variables });
  let forgetKey = $state(false);

  $effect(() => {
    if (!open) reach.password = reach.passphrase = reach.key = ''; // secrets do not stay
  });

  async function send() {
    const body = {
      ...(name !== server.name && { name }),
      ...(book !== server.rulebook && { rulebook: book }),
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
  <Labelled
    label="Rulebook"
    help="What is deployed stays as it is; what is deployed next is laid out by the new one."
  >
    <select class="input" bind:value={book}>
      {#each books.data ?? [] as b (b.name)}<option value={b.name}>{b.name}</option>{/each}
    </select>
  </Labelled>
  {#each Object.keys(variables) as v (v)}
    <Labelled label={v}><input class="input" bind:value={variables[v]} /></Labelled>
  {/each}
  <ReachForm bind:reach />
  {#if server.hostKey}<Tick bind:checked={forgetKey}
      >Forget the host's key; the next test shows the one it offers then</Tick
    >{/if}
</FormSheet>
