<!-- The sheet that adds a server. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Rulebook } from '../api/client';
  import { rulebook } from '../api/queries';
  import Labelled from '../ui/Labelled.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
  import ReachForm from './ReachForm.svelte';
  import { blank, said } from './transport';

  let { open = $bindable(), books }: { open: boolean; books: Rulebook[] } = $props();

  const client = useQueryClient();
  let name = $state('');
  const none = '\n'; // no rulebook is called so
  let picked = $state('');
  let choice = $derived(picked || (books[0]?.name ?? none));
  let book = $derived(choice === none ? '' : choice);
  let reach = $state(blank());
  let variables = $state<Record<string, string>>({});
  const whole = createQuery(() => ({ ...rulebook(book), enabled: book !== '' }));
  let asked = $derived(whole.data?.variables ?? []);

  $effect(() => {
    if (!open) reach.password = reach.passphrase = reach.key = ''; // secrets do not stay
  });

  async function send() {
    // What it was added with: the rulebook that it begins is among the books a moment later.
    const params = {
      server: name.trim(),
      tab: book || reach.kind !== 'folder' ? 'about' : 'learn'
    };
    const told = Object.fromEntries(
      asked.map((v) => [v.name, variables[v.name] || v.default || '']).filter(([, v]) => v)
    );
    await ok(
      api.POST('/servers', {
        body: { name: name.trim(), rulebook: book || undefined, variables: told, ...said(reach) }
      })
    );
    await client.invalidateQueries({ queryKey: ['servers'] });
    return () => navigate('/servers/:server/:tab', { params });
  }
</script>

<FormSheet
  bind:open
  title="Add a server"
  about="Nothing on it is touched: the next step tests whether it can be reached."
  words={['Add it', 'Adding…']}
  {send}
>
  <div class="grid gap-3 sm:grid-cols-2">
    <Labelled label="Name" help="Small letters, digits, dashes.">
      <input class="input" required pattern="[a-z0-9][a-z0-9\-]{'{0,30}'}" bind:value={name} />
    </Labelled>
    <Labelled label="Rulebook">
      <select class="input" bind:value={() => choice, (v) => (picked = v)}>
        <option value={none}>none yet: learn it from the server</option>
        {#each books as b (b.name)}<option value={b.name}>{b.title}</option>{/each}
      </select>
    </Labelled>
  </div>
  {#each asked as v (v.name)}
    <Labelled label={v.name} help={v.ask}
      ><input class="input" placeholder={v.default} bind:value={variables[v.name]} /></Labelled
    >
  {/each}
  <ReachForm bind:reach fresh />
</FormSheet>
