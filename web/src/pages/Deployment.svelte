<!-- A deployment: may I run this? While it runs, the same sheet with its steps stamped. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, problemOf, type Job } from '../lib/api/client';
  import { deployment } from '../lib/api/queries';
  import DraftingNote from '../lib/deploy/DraftingNote.svelte';
  import { Drafting } from '../lib/deploy/drafting.svelte';
  import DeploymentLading from '../lib/deploy/DeploymentLading.svelte';
  import Findings from '../lib/deploy/Findings.svelte';
  import { Live } from '../lib/deploy/live.svelte';
  import { accepting } from '../lib/deploy/accepting';
  import Phases from '../lib/deploy/Phases.svelte';
  import RollCall from '../lib/server/RollCall.svelte';
  import FindingRow from '../lib/ui/FindingRow.svelte';
  import Progress from '../lib/deploy/Progress.svelte';
  import { moving } from '../lib/standing';
  import Button from '../lib/ui/Button.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { navigate, route } from '../router';

  let server = $derived(route.params.server ?? '');
  let number = $derived(Number(route.params.number));
  const client = useQueryClient();
  const drafting = new Drafting();
  const live = new Live();

  const q = createQuery(() => deployment(server, number));
  let d = $derived(q.data);
  let accepted = $state<Record<string, boolean>>({});
  let left = $derived(d ? accepting(d, accepted) : { open: 0, final: 0, accept: [] });
  let starting = $state(false);
  let error = $state<unknown>();
  let unseen = $derived(error !== undefined && problemOf(error).code === 'not-seen');
  let replaced = $state('');
  let byHand = $derived((d?.trouble ?? '').split('\n'));
  let call = $derived({ params: { path: { server, number } } });

  // A page that is opened while its job goes on listens in.
  let watched = '';
  $effect(() => {
    if (d?.job && moving(d.state) && watched !== d.job) void watch(d.job);
  });
  $effect(() => () => live.leave());

  async function watch(id: string) {
    watched = id;
    try {
      await live.watch(id);
    } catch (e) {
      if (!(e instanceof DOMException)) tell(e);
    }
    await refresh();
  }

  async function refresh() {
    await client.invalidateQueries({ queryKey: ['deployment', server, number] });
    await client.invalidateQueries({ queryKey: ['status', server] });
    await client.invalidateQueries({ queryKey: ['files', server] });
    await client.invalidateQueries({ queryKey: ['history', server] });
  }

  /** A draft that is no longer true was drafted anew: its page opens, with a word of why. */
  function tell(e: unknown) {
    const p = problemOf(e);
    const fresh = p.code === 'draft-stale' && p.deployment?.split('#').at(-1);
    if (!fresh) {
      error = e;
      return;
    }
    replaced = p.detail;
    accepted = {};
    void navigate('/servers/:server/deployments/:number', { params: { server, number: fresh } });
  }

  async function act(does: () => Promise<Job>) {
    starting = true;
    error = undefined;
    replaced = '';
    try {
      const job = await does();
      await refresh();
      starting = false;
      await watch(job.id);
    } catch (e) {
      tell(e);
    }
    starting = false;
  }

  const run = () =>
    act(() =>
      ok(
        api.POST('/servers/{server}/deployments/{number}/run', {
          ...call,
          body: { digest: d!.digest, accept: left.accept }
        })
      )
    );
  const resume = () => act(() => ok(api.POST('/servers/{server}/deployments/{number}/resume', call)));
  const halt = () =>
    ok(api.POST('/servers/{server}/deployments/{number}/halt', call)).catch((e) => (error = e));
  const tidy = () => act(() => ok(api.POST('/servers/{server}/deployments/{number}/tidy', call)));
  const tick = (unchecked = false) =>
    act(() =>
      ok(
        api.POST('/servers/{server}/deployments/{number}/tick', {
          params: { path: { server, number }, query: { unchecked } }
        })
      )
    );
  const undo = (data = false) =>
    act(() =>
      ok(
        api.POST('/servers/{server}/deployments/{number}/undo', {
          params: { path: { server, number }, query: { data } }
        })
      )
    );

  async function discard() {
    try {
      await ok(api.DELETE('/servers/{server}/deployments/{number}', call));
      await refresh();
      await navigate('/servers/:server', { params: { server } });
    } catch (e) {
      error = e;
    }
  }
</script>

{#snippet undoData()}
  {#if d?.wayBack === 'files and data'}
    <Button
      disabled={starting}
      onclick={() => undo(true)}
      title="Put the folders that the server writes back too, as they were copied">Undo, data too</Button
    >
  {/if}
{/snippet}

{#if d}
  <Head title={d.kind === 'rollback' ? `Way back on ${server}` : `Deployment to ${server}`}>
    {#if d.state === 'draft'}
      <Button disabled={starting} onclick={discard}>Give it up</Button>
      <Button
        kind="main"
        disabled={starting || left.open > 0 || left.final > 0}
        title={left.final
          ? 'A block that cannot be accepted stands in the way'
          : left.open
            ? 'Blocks have to be accepted first'
            : undefined}
        onclick={run}>{starting ? 'Starting…' : 'Run it'}</Button
      >
    {:else if moving(d.state)}
      {#if d.state === 'queued'}
        <Button onclick={halt} title="Nothing was done yet: it is a draft again then"
          >Take it out of the queue</Button
        >
      {:else}
        <Button onclick={halt} title="Stops between two motions; resume or undo it then">Stop it</Button>
      {/if}
    {:else if d.state === 'waiting'}
      {@render undoData()}
      <Button disabled={starting} onclick={() => undo()} title="Put every file back as it was before"
        >Undo</Button
      >
      <Button kind="main" disabled={starting} onclick={() => tick()}>It is done</Button>
      {#if unseen}
        <Button disabled={starting} onclick={() => tick(true)}>It is done all the same</Button>
      {/if}
    {:else if d.state === 'halted'}
      {@render undoData()}
      <Button disabled={starting} onclick={() => undo()} title="Put every file back as it was before"
        >Undo</Button
      >
      <Button kind="main" disabled={starting} onclick={resume} title="Finish what was begun">Resume</Button>
    {:else if d.state === 'done'}
      {#if d.untidy}
        <Button disabled={starting} onclick={tidy} title="They could not be removed when it was done"
          >Clear what was set aside</Button
        >
      {/if}
      {#if d.wayBack === 'files and data'}
        <Button
          disabled={drafting.busy}
          onclick={() => drafting.start(server, { rollback: { deployment: number, data: true } })}
          >Take back, data too…</Button
        >
      {/if}
      <Button
        disabled={drafting.busy}
        onclick={() => drafting.start(server, { rollback: { deployment: number } })}
        >{drafting.busy ? 'Looking…' : 'Take back…'}</Button
      >
    {/if}
  </Head>
  {#if replaced}<p class="box mb-3 px-4 py-2.5" role="status">
      <span class="level note-ink mr-3 inline-block px-3">new draft</span>{replaced} This is the new one; read it
      again.
    </p>{/if}
  {#if error}<Trouble {error} />{/if}
  <DraftingNote {drafting} />

  <DeploymentLading deployment={d}>
    {#if moving(d.state)}<Progress {live} undoing={d.state === 'undoing'} bytes={d.counts.send} />{/if}
    {#if d.state === 'halted'}
      <div class="border-b border-rule px-4 py-2.5" data-halted>
        <span class="level block-ink mr-3 inline-block px-3">halted</span>{d.trouble}
        <div class="reason mt-1">
          The server stands half-way. Resume finishes it, undo puts back what was there; neither loses
          anything.
        </div>
      </div>
    {/if}
    {#if d.state === 'waiting'}
      <div class="flex flex-wrap items-center gap-3 border-b-[1.5px] border-ink px-4 py-2.5" data-waiting>
        <span class="level warn-ink px-3">by hand</span>
        <span class="min-w-0 flex-1"
          ><b>{byHand[0]}</b>
          {#if byHand[1]}<code class="mono ml-2 border border-rule px-2 py-0.5" data-copy>{byHand[1]}</code
            >{/if}</span
        >
        {#if byHand[1]}<Button kind="quiet" onclick={() => navigator.clipboard.writeText(byHand[1] ?? '')}
            >Copy it</Button
          >{/if}
        <span class="reason basis-full"
          >The deployment goes on once you say that it is done. You may close this page meanwhile.</span
        >
      </div>
    {/if}
    {#if d.aftermath.length}
      <div class="border-b-[1.5px] border-ink">
        {#each d.aftermath as f, i (i)}<FindingRow finding={f} />{/each}
      </div>
    {/if}
    {#if d.rollCall}<div class="border-b-[1.5px] border-ink">
        <RollCall call={d.rollCall} server={d.server} />
      </div>{/if}
    <Findings deployment={d} bind:accepted />
    <Phases deployment={d} at={moving(d.state) ? live.step : 0} />
    {#each d.notes as note, i (i)}<p class="reason border-t border-rule px-4 py-1.5">{note}</p>{/each}
  </DeploymentLading>
{:else if q.error}
  <Head title="{server}#{number}" />
  <Trouble error={q.error} />
{/if}
