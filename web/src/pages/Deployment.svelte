<!-- A deployment: may I run this? While it runs, the same sheet with its steps stamped. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { deployment } from '../lib/api/queries';
  import { accepting } from '../lib/deploy/accepting';
  import { Acts } from '../lib/deploy/acts.svelte';
  import Asked from '../lib/deploy/Asked.svelte';
  import DeploymentActs from '../lib/deploy/DeploymentActs.svelte';
  import DeploymentLading from '../lib/deploy/DeploymentLading.svelte';
  import DraftingNote from '../lib/deploy/DraftingNote.svelte';
  import { Drafting } from '../lib/deploy/drafting.svelte';
  import Findings from '../lib/deploy/Findings.svelte';
  import HalfWay from '../lib/deploy/HalfWay.svelte';
  import Phases from '../lib/deploy/Phases.svelte';
  import Progress from '../lib/deploy/Progress.svelte';
  import Remark from '../lib/deploy/Remark.svelte';
  import RollCall from '../lib/server/RollCall.svelte';
  import { moving } from '../lib/standing';
  import FindingRow from '../lib/ui/FindingRow.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { route } from '../router';

  let server = $derived(route.params.server ?? '');
  let number = $derived(Number(route.params.number));
  const q = createQuery(() => deployment(server, number));
  const drafting = new Drafting();
  const acts = new Acts(() => ({ server, number }));

  let accepted = $state<Record<string, boolean>>({});
  // What was ticked belongs to one draft.
  $effect(() => {
    if (number) accepted = {};
  });
  // A page that is opened while its job goes on listens in.
  $effect(() => {
    if (q.data) acts.listen(q.data);
  });
  $effect(() => () => acts.live.leave());
</script>

{#if q.data}
  {@const d = { ...q.data, state: acts.stateOf(q.data) }}
  {@const goes = moving(d.state)}
  <Head title={d.kind === 'rollback' ? `Way back on ${server}` : `Deployment to ${server}`}>
    <DeploymentActs deployment={d} {acts} {drafting} left={accepting(d, accepted)} />
  </Head>
  {#if acts.replaced}<p class="box mb-3 px-4 py-2.5" role="status">
      <span class="level note-ink mr-3 inline-block px-3">new draft</span>{acts.replaced} This is the new one; read
      it again.
    </p>{/if}
  {#if acts.error}<Trouble error={acts.error} />{/if}
  <DraftingNote {drafting} />

  <DeploymentLading deployment={d}>
    {#if goes}<Progress live={acts.live} undoing={d.state === 'undoing'} bytes={d.counts.send} />{/if}
    {#if d.asked}<Asked deployment={d} />{/if}
    <HalfWay deployment={d} />
    {#if d.state === 'done' || d.state === 'undone'}<Remark deployment={d} />{/if}
    {#if d.aftermath.length}
      <div class="border-b-[1.5px] border-ink">
        {#each d.aftermath as f, i (i)}<FindingRow finding={f} />{/each}
      </div>
    {/if}
    {#if d.rollCall}<div class="border-b-[1.5px] border-ink">
        <RollCall call={d.rollCall} server={d.server} />
      </div>{/if}
    <Findings deployment={d} bind:accepted />
    <Phases
      deployment={d}
      at={goes ? acts.live.step : 0}
      motions={d.state === 'running' ? acts.live.done : undefined}
    />
    {#each d.notes as note, i (i)}<p class="reason border-t border-rule px-4 py-1.5">{note}</p>{/each}
  </DeploymentLading>
{:else if q.error}
  <Head title="{server}#{number}" />
  <Trouble error={q.error} />
{/if}
