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

  const list = createQuery(servers);
  const books = createQuery(rulebooks);
  let adding = $state(false);
</script>

<Head title="Servers">
  {#if books.data}<Button kind={list.data?.length ? 'plain' : 'main'} onclick={() => (adding = true)}
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
  {:else}
    <Empty title="No server yet">
      <p>
        Say where a game server's files are: a folder on the service's machine, or a host that is reached over
        SFTP. Nothing on it is touched until you run a deployment that you have read. Where its game has no
        rulebook yet, the server teaches one: what lies there is looked at, and you are asked about the rest.
      </p>
      <Button kind="main" onclick={() => (adding = true)}>Add a server…</Button>
    </Empty>
  {/if}
{/if}

{#if books.data}<NewServer bind:open={adding} books={books.data} />{/if}
