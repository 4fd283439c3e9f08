<!-- The first page: what needs a person, and how all servers stand. -->
<script lang="ts">
  import { createQueries, createQuery } from '@tanstack/svelte-query';
  import { desk, rulebooks, standingNow } from '../lib/api/queries';
  import NeedRow from '../lib/desk/NeedRow.svelte';
  import StandRow from '../lib/desk/StandRow.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Empty from '../lib/ui/Empty.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { route } from '../router';

  const q = createQuery(desk);
  const books = createQuery(rulebooks);
  let adding = $state(false);
  let added = $state(false); // its sheet was opened once, and keeps what is typed
  $effect(() => {
    if (route.search.asked && route.search.do === 'add') adding = true;
  });
  $effect(() => {
    if (adding) added = true;
  });
  let empty = $derived(q.data?.servers.length === 0);
  // Games that have ever been asked are asked again: what is shown is then of now.
  let known = $derived((q.data?.servers ?? []).filter((s) => s.foundAt && !s.open).map((s) => s.server));
  createQueries(() => ({ queries: known.map((server) => standingNow(server)) }));
</script>

<Head title={empty ? 'Welcome' : 'What needs you'}>
  {#if books.data}<Button kind={empty ? 'main' : 'plain'} onclick={() => (adding = true)}
      >Add a server…</Button
    >{/if}
</Head>

{#if q.error}
  <Trouble error={q.error} />
{:else if q.data && empty}
  <Empty title="No server yet" picture="server">
    <p>
      Say where a game server's files are: a folder on the service's machine, or a host that is reached over
      SFTP or FTP. Nothing on it is touched until you run a deployment that you have read. Where its game has
      no rulebook yet, the server teaches one: what lies there is looked at, and you are asked about the rest.
    </p>
    <Button kind="main" onclick={() => (adding = true)}>Add a server…</Button>
  </Empty>
{:else if q.data}
  {#if q.data.needs.length}
    <div class="box mb-5" data-desk>
      {#each q.data.needs as need (need.kind + need.server + need.what)}<NeedRow {need} />{/each}
    </div>
  {:else}
    <p class="mb-5 text-ink-soft" data-desk>Nothing waits for you, as far as was looked.</p>
  {/if}
  <h2 class="mb-2">Servers</h2>
  <div class="box overflow-x-auto">
    <table class="table">
      <thead>
        <tr>
          <th class="label">Server</th>
          <th class="label">State</th>
          <th class="label whitespace-nowrap max-sm:hidden">Add-ons</th>
          <th class="label">Looked at</th>
          <th class="label max-sm:hidden">Last change</th>
          <th class="label max-lg:hidden">Players join by</th>
        </tr>
      </thead>
      <tbody>
        {#each q.data.servers as stand (stand.server)}<StandRow {stand} />{/each}
      </tbody>
    </table>
  </div>
{/if}

{#if books.data && (adding || added)}
  {#await import('../lib/server/NewServer.svelte') then { default: NewServer }}
    <NewServer bind:open={adding} books={books.data} />
  {/await}
{/if}
