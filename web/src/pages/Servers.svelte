<!-- All servers: how each stands and what was done to it last. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { rulebooks, servers } from '../lib/api/queries';
  import NewServer from '../lib/server/NewServer.svelte';
  import ServerRow from '../lib/server/ServerRow.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Empty from '../lib/ui/Empty.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { p } from '../router';

  const list = createQuery(servers);
  const books = createQuery(rulebooks);
  let adding = $state(false);
</script>

<Head title="Servers">
  {#if books.data?.length}<Button kind={list.data?.length ? 'plain' : 'main'} onclick={() => (adding = true)}
      >Add a server…</Button
    >{/if}
</Head>

{#if list.error}
  <Trouble error={list.error} />
{:else if list.data && books.data}
  {#if list.data.length}
    <div class="box overflow-x-auto">
      <table class="table">
        <thead>
          <tr>
            <th class="label">Server</th>
            <th class="label">Stands</th>
            <th class="label">Add-ons</th>
            <th class="label max-sm:hidden">Last deployment</th>
            <th class="label max-sm:hidden">Reached by</th>
          </tr>
        </thead>
        <tbody>
          {#each list.data as server (server.name)}<ServerRow {server} />{/each}
        </tbody>
      </table>
    </div>
  {:else if books.data.length}
    <Empty title="No server yet">
      <p>
        Say where a game server's files are: a folder on the service's machine, or a host that is reached over
        SFTP. Nothing on it is touched until you run a deployment that you have read.
      </p>
      <Button kind="main" onclick={() => (adding = true)}>Add a server…</Button>
    </Empty>
  {:else}
    <Empty title="First, a rulebook">
      <p>A rulebook tells where a game's add-ons go and how a download of it looks. A server needs one.</p>
      <Button kind="main" href={p('/rulebooks')}>To the rulebooks</Button>
    </Empty>
  {/if}
{/if}

{#if books.data}<NewServer bind:open={adding} books={books.data} />{/if}
