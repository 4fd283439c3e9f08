<!-- The sheet that adds a server. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Rulebook } from '../api/client';
  import { rulebook } from '../api/queries';
  import { Attempt } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import ReachForm from './ReachForm.svelte';
  import { blank, said } from './transport';

  let { open = $bindable(), books }: { open: boolean; books: Rulebook[] } = $props();

  const client = useQueryClient();
  let name = $state('');
  let picked = $state('');
  let book = $derived(picked || (books[0]?.name ?? ''));
  let reach = $state(blank());
  let variables = $state<Record<string, string>>({});
  const attempt = new Attempt();
  const whole = createQuery(() => ({ ...rulebook(book), enabled: book !== '' }));
  let asked = $derived(whole.data?.variables ?? []);

  async function add(e: SubmitEvent) {
    e.preventDefault();
    const told = Object.fromEntries(
      asked.map((v) => [v.name, variables[v.name] || v.default || '']).filter(([, v]) => v)
    );
    await attempt.run('send', async () => {
      await ok(
        api.POST('/servers', { body: { name: name.trim(), rulebook: book, variables: told, ...said(reach) } })
      );
      await client.invalidateQueries({ queryKey: ['servers'] });
      open = false;
      await navigate('/servers/:server/:tab', { params: { server: name.trim(), tab: 'about' } });
    });
  }
</script>

<Sheet
  bind:open
  title="Add a server"
  about="Nothing on it is touched: the next step tests whether it can be reached."
>
  <form class="space-y-3.5" onsubmit={add}>
    <div class="grid gap-3 sm:grid-cols-2">
      <Labelled label="Name" help="Small letters, digits, dashes.">
        <input class="input" required pattern="[a-z0-9][a-z0-9\-]{'{0,30}'}" bind:value={name} />
      </Labelled>
      <Labelled label="Rulebook">
        <select class="input" bind:value={() => book, (v) => (picked = v)}>
          {#each books as b (b.name)}<option value={b.name}>{b.title}</option>{/each}
        </select>
      </Labelled>
    </div>
    {#each asked as v (v.name)}
      <Labelled label={v.name} help={v.ask}
        ><input class="input" placeholder={v.default} bind:value={variables[v.name]} /></Labelled
      >
    {/each}
    <ReachForm bind:reach />
    {#if attempt.error}<Trouble error={attempt.error} />{/if}
    <Button kind="main" type="submit" disabled={attempt.busy !== ''}
      >{attempt.busy ? 'Adding…' : 'Add it'}</Button
    >
  </form>
</Sheet>
