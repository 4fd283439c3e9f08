<!-- What the service does, and what it has done: with what failed and why. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { cancel } from '../lib/api/jobs';
  import { endedJobs, runningJobs } from '../lib/api/queries';
  import { attempting } from '../lib/attempt.svelte';
  import { clock, duration } from '../lib/format';
  import { jobHref, jobWords } from '../lib/jobs/jobs';
  import { later } from '../lib/later.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Filter from '../lib/ui/Filter.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Remedies from '../lib/ui/Remedies.svelte';
  import Stamp from '../lib/ui/Stamp.svelte';
  import Tick from '../lib/ui/Tick.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';

  const client = useQueryClient();
  const act = attempting();
  let find = $state('');
  let failed = $state(false);
  let pages = $state(1);
  const asked = later(() => find.trim());
  const running = createQuery(runningJobs);
  const ended = createQuery(() => endedJobs(asked.now, failed, pages));
  const tones = { done: 'ok', failed: 'block', cancelled: 'ink', running: 'warn' } as const;
  const end = (id: string) =>
    act.run(id, async () => {
      await cancel(id);
      await client.invalidateQueries({ queryKey: ['jobs'] });
    });
</script>

<Head title="Jobs" />
{#if act.error}<Trouble error={act.error} />{/if}
<h2 class="mb-2">Under way</h2>
{#if running.error}<Trouble error={running.error} />
{:else if running.data?.length}
  <div class="box mb-5">
    {#each running.data as j (j.id)}
      <div class="row flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2" data-job={j.kind}>
        <Stamp small word="running" tone="warn" />
        <span class="min-w-0 flex-1 basis-64 [overflow-wrap:anywhere]"
          ><b>{jobWords(j)}</b> <span class="reason">for {j.actor}, since {clock(j.createdAt)}</span></span
        >
        {#if j.cancellable}<Button
            disabled={!!act.busy}
            label="Cancel {jobWords(j)}"
            onclick={() => end(j.id)}>Cancel it</Button
          >{/if}
      </div>
    {/each}
  </div>
{:else if running.data}<p class="mb-5 text-ink-soft">The service is doing nothing just now.</p>{/if}

<h2 class="mb-2">Over</h2>
<div class="mb-2.5 flex flex-wrap items-center gap-4">
  <Filter bind:find label="Find by what it was, or who asked" />
  <Tick bind:checked={failed} onchange={() => (pages = 1)}>only what failed</Tick>
</div>
{#if ended.error}<Trouble error={ended.error} />
{:else if ended.data?.list.length}
  <div class="box">
    {#each ended.data.list as j (j.id)}
      {@const href = jobHref(j)}
      <div class="row flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5" data-ended={j.state} data-row>
        <span class="w-[86px]"><Stamp small word={j.state} tone={tones[j.state]} /></span>
        <span class="min-w-0 flex-1 basis-64 [overflow-wrap:anywhere]">
          {#if href}<a class="link font-semibold" data-open {href}>{jobWords(j)}</a>{:else}<b>{jobWords(j)}</b
            >{/if}
          {#if j.problem}
            <span class="block">{j.problem.detail}</span>
            {#if j.problem.mend}<span class="reason block">{j.problem.mend}</span>{/if}
            <Remedies remedies={j.problem.remedies} />
          {/if}
        </span>
        <span class="reason"
          >for {j.actor}, {clock(j.createdAt)}{#if j.endedAt}, {duration(
              Date.parse(j.endedAt) - Date.parse(j.createdAt)
            )}{/if}</span
        >
      </div>
    {/each}
  </div>
  {#if ended.data.more}
    <div class="mt-3">
      <Button disabled={ended.isFetching} onclick={() => (pages += 1)}>Show older ones</Button>
    </div>
  {/if}
{:else if ended.data}
  <p class="text-ink-soft">
    {asked.now || failed ? 'No such job has ended, of those that are still known.' : 'No job has ended yet.'}
  </p>
{/if}
