<!-- What is done on servers by itself, what came of it, and who is told. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Notice, type Schedule } from '../lib/api/client';
  import { notices, schedules } from '../lib/api/queries';
  import { attempting } from '../lib/attempt.svelte';
  import { clock } from '../lib/format';
  import AddNotice from '../lib/schedules/AddNotice.svelte';
  import AddSchedule from '../lib/schedules/AddSchedule.svelte';
  import { does, stands } from '../lib/schedules/schedules';
  import Button from '../lib/ui/Button.svelte';
  import Confirm from '../lib/ui/Confirm.svelte';
  import Empty from '../lib/ui/Empty.svelte';
  import Head from '../lib/ui/Head.svelte';
  import PathText from '../lib/ui/PathText.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { toServer } from '../router';

  const client = useQueryClient();
  const list = createQuery(schedules);
  const told = createQuery(notices);
  const act = attempting();
  let adding = $state(false);
  let dropping = $state('');
  let telling = $state(false);
  let untelling = $state('');
  let made = $state<Notice>();
  const again = () => client.invalidateQueries({ queryKey: ['status', '', 'schedules'] });
  const last = (s: Schedule) => s.runs?.[0];
  const test = (notice: string) =>
    act.run(notice, () => ok(api.POST('/notices/{notice}/test', { params: { path: { notice } } })));
</script>

<Head title="Schedules">
  <Button kind="main" onclick={() => (adding = true)}>Add a schedule…</Button>
</Head>
<AddSchedule bind:open={adding} done={again} />
{#if list.error}
  <Trouble error={list.error} />
{:else if list.data?.length === 0}
  <Empty title="Nothing is done by itself" picture="clock">
    <p>
      A schedule updates, deploys, surveys or restarts a server at its time: at night, or while no player is
      on. It warns the players, and takes an update back that does not load.
    </p>
  </Empty>
{:else if list.data}
  <div class="border border-rule">
    {#each list.data as s (s.name)}
      {@const r = last(s)}
      <div class="row flex flex-wrap items-start gap-x-3.5 gap-y-1 px-4 py-2.5" data-schedule={s.name}>
        <span class="min-w-0 flex-1 basis-72">
          <b>{s.name}</b>: {does(s)} on <a class="underline" href={toServer(s.server)}>{s.server}</a>
          <span class="reason block">
            {s.next ? `next ${clock(s.next)}` : 'over'}{s.cron ? ` (${s.cron}, ${s.zone})` : ''}{s.empty
              ? ', while no player is on'
              : ''}{s.orUndo ? ', taken back where it does not load' : ''}
          </span>
          {#if r}
            <span class="block [overflow-wrap:anywhere] {stands(r.state)}"
              >{r.state} on {clock(r.due)}: {r.words ?? ''}</span
            >
          {:else}<span class="reason block">It was not due yet.</span>{/if}
        </span>
        <Button onclick={() => (dropping = s.name)}>Drop {s.name}…</Button>
      </div>
    {/each}
  </div>
{/if}

<div class="mt-6 mb-2 flex flex-wrap items-center gap-3">
  <h2>Who is told</h2>
  <Button onclick={() => (telling = true)}>Have results told…</Button>
</div>
<AddNotice
  bind:open={telling}
  done={async (n) => {
    made = n;
    await again();
    await client.invalidateQueries({ queryKey: ['status', '', 'notices'] });
  }}
/>
{#if made?.url || made?.secret}
  <p class="box mb-3 px-4 py-2.5" role="status">
    {#if made.url}The address of the feed, which nobody can guess: <PathText path={made.url} />
    {:else}The secret by which {made.name} knows what is ours; it is not shown again: <PathText
        path={made.secret ?? ''}
      />{/if}
  </p>
{/if}
{#if act.error}<Trouble error={act.error} />{/if}
{#if told.error}
  <Trouble error={told.error} />
{:else if told.data?.length === 0}
  <p class="text-ink-soft">Nobody is told what comes of it.</p>
{:else if told.data}
  <div class="border border-rule">
    {#each told.data as n (n.name)}
      <div class="row flex flex-wrap items-center gap-x-3.5 gap-y-1 px-4 py-2" data-notice={n.name}>
        <span class="min-w-0 flex-1 basis-72">
          <b>{n.name}</b>, {n.to}: {n.successes ? 'everything' : 'what went wrong'}
          <span class="reason block [overflow-wrap:anywhere]"
            >{n.toldAt ? `told last ${clock(n.toldAt)}` : 'nothing was told yet'}{n.trouble
              ? `; the last could not be told: ${n.trouble}`
              : ''}</span
          >
        </span>
        {#if n.to !== 'a feed'}<Button disabled={!!act.busy} onclick={() => test(n.name)}>Try {n.name}</Button
          >{/if}
        <Button label="Tell {n.name} no more…" onclick={() => (untelling = n.name)}>No more…</Button>
      </div>
    {/each}
  </div>
{/if}
<Confirm
  bind:open={() => !!dropping, (v) => (dropping = v ? dropping : '')}
  title={`Drop ${dropping}?`}
  about="It is done no more, and what came of it is forgotten. What has begun goes on."
  word={`Drop ${dropping}`}
  does={async () => {
    await ok(api.DELETE('/schedules/{schedule}', { params: { path: { schedule: dropping } } }));
    await again();
  }}
/>
<Confirm
  bind:open={() => !!untelling, (v) => (untelling = v ? untelling : '')}
  title={`Tell ${untelling} no more?`}
  about="Results are not told there any more. Its address, where it is a feed, leads nowhere then."
  word="Tell it no more"
  does={async () => {
    await ok(api.DELETE('/notices/{notice}', { params: { path: { notice: untelling } } }));
    await client.invalidateQueries({ queryKey: ['status', '', 'notices'] });
  }}
/>
