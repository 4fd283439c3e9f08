<!-- Everything that was done, on every server, the newest first. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { deployments } from '../lib/api/queries';
  import { clock } from '../lib/format';
  import { counts, toneOf } from '../lib/standing';
  import Empty from '../lib/ui/Empty.svelte';
  import Filter from '../lib/ui/Filter.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Stamp from '../lib/ui/Stamp.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import Button from '../lib/ui/Button.svelte';
  import { p, toDeployment } from '../router';

  let pages = $state(1);
  const q = createQuery(() => deployments(undefined, pages));
  let find = $state('');
  let shown = $derived(
    (q.data?.list ?? []).filter((d) =>
      `${d.name} ${d.title} ${d.state}`.toLowerCase().includes(find.trim().toLowerCase())
    )
  );
</script>

<Head title="Deployments" />
{#if q.error}
  <Trouble error={q.error} />
{:else if q.data?.list.length === 0}
  <Empty title="No deployment yet" picture="label">
    <p>A deployment begins on a server's page: choose what is to be there, read the draft, run it.</p>
    <Button kind="main" href={p('/')}>To the servers</Button>
  </Empty>
{:else if q.data}
  <div class="mb-2.5"><Filter bind:find label="Find a deployment" /></div>
  <div class="overflow-x-auto">
    <table class="table">
      <thead>
        <tr>
          <th class="label">Deployment</th>
          <th class="label">What</th>
          <th class="label max-sm:hidden">Files</th>
          <th class="label max-sm:hidden">When</th>
          <th class="label max-sm:hidden">Who</th>
          <th class="label max-sm:hidden">State</th>
        </tr>
      </thead>
      <tbody>
        {#each shown as d (d.name)}
          <tr data-row>
            <td>
              <a data-open class="font-semibold whitespace-nowrap" href={toDeployment(d)}>{d.name}</a>
              <div class="sm:hidden"><Stamp small word={d.state} tone={toneOf(d.state)} /></div>
            </td>
            <td>{d.title}</td>
            <td class="max-sm:hidden">{counts(d.counts)}</td>
            <td class="whitespace-nowrap max-sm:hidden">{clock(d.endedAt ?? d.createdAt)}</td>
            <td class="max-sm:hidden">{d.runner || d.actor}</td>
            <td class="max-sm:hidden"><Stamp small word={d.state} tone={toneOf(d.state)} /></td>
          </tr>
        {:else}
          <tr
            ><td colspan="6" class="text-ink-soft"
              >Nothing here has “{find}” in its name, its words or its state.</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  </div>
  {#if q.data.more}
    <div class="mt-2.5">
      <Button disabled={q.isFetching} onclick={() => (pages += 1)}>Older deployments</Button>
    </div>
  {/if}
{/if}
