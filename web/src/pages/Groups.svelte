<!-- Servers that are deployed to together. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { groups } from '../lib/api/queries';
  import AddGroup from '../lib/groups/AddGroup.svelte';
  import GroupRow from '../lib/groups/GroupRow.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Empty from '../lib/ui/Empty.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';

  const client = useQueryClient();
  const q = createQuery(groups);
  let adding = $state(false);
</script>

<Head title="Groups">
  <Button kind={q.data?.length ? 'plain' : 'main'} onclick={() => (adding = true)}>Make a group…</Button>
</Head>
<AddGroup bind:open={adding} done={() => client.invalidateQueries({ queryKey: ['status', '', 'groups'] })} />
{#if q.error}<Trouble error={q.error} />
{:else if q.data?.length === 0}
  <Empty title="No group yet" picture="server">
    <p>
      Servers of one game that are to hold the same can be deployed to together: one after the other, each
      only once the one before is well, or all at once. One button takes it back on all of them.
    </p>
  </Empty>
{:else}
  {#each q.data ?? [] as g (g.name)}<GroupRow group={g} />{/each}
{/if}
