<!-- Is it running, what does it say, and who loaded? -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { untrack } from 'svelte';
  import { api, ok, problemOf, Refusal, type Acted, type LogLine } from '../api/client';
  import { controlKnown, lastRollCall, standingOf } from '../api/queries';
  import { cancel, follow, result } from '../api/jobs';
  import { attempting } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import Stamp from '../ui/Stamp.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import EditControl from './EditControl.svelte';
  import Log from './Log.svelte';
  import Narrow from './Narrow.svelte';
  import RollCall from './RollCall.svelte';

  let { server }: { server: string } = $props();
  const client = useQueryClient();
  const q = createQuery(() => standingOf(server));
  const roll = createQuery(() => lastRollCall(server));
  const known = createQuery(() => controlKnown(server));
  let editing = $state(false);
  const acting = attempting();
  let asked = $state<'stop' | 'restart'>();
  let words = $state('');
  let line = $state('');
  let said = $state<{ line: string; answer: string }[]>([]);
  let call = $derived({ params: { path: { server } } });
  let unknown = $derived(q.error && problemOf(q.error).code === 'no-control');
  let lines = $state<LogLine[]>([]);

  const tones = { running: 'ok', stopped: 'ink', unknown: 'warn' } as const;

  async function again() {
    await client.invalidateQueries({ queryKey: ['standing', server] });
    await client.invalidateQueries({ queryKey: ['rollcall', server] });
    await client.invalidateQueries({ queryKey: ['status', server] });
  }

  let waiting = $state(''); // the job that waits for an act

  /** Follows an act to its end. Giving the waiting up is no failure. */
  async function until(job: string) {
    waiting = job;
    try {
      const end = await follow(job, (e) => (words = e.data.text ?? words));
      if (end.problem && end.problem.code !== 'cancelled') throw new Refusal(end.problem);
      words = end.problem?.detail ?? (end.result as Acted).words ?? '';
    } finally {
      waiting = '';
      await again();
    }
  }

  /** Ends the waiting. Where it has ended by itself meanwhile, that is shown. */
  const giveUp = () =>
    void cancel(waiting).catch((e: unknown) => {
      if (problemOf(e).code !== 'job-ended') words = problemOf(e).detail;
    });

  function power(act: 'stop' | 'start' | 'restart') {
    words = '';
    return acting.run(act, async () =>
      until((await ok(api.POST('/servers/{server}/acts', { ...call, body: { act, wait: true } }))).id)
    );
  }

  // What another window has begun, or this one before it was loaded again, is followed too.
  $effect(() => {
    const { act, job } = q.data ?? {};
    if (act && job && !untrack(() => acting.busy)) void acting.run(act, () => until(job));
  });

  const callRoll = () =>
    acting.run('roll', async () => {
      await result(await ok(api.POST('/servers/{server}/roll-calls', call)));
      await again();
    });

  const speak = (e: SubmitEvent) => {
    e.preventDefault();
    const subject = line.trim();
    if (!subject) return;
    void acting.run('say', async () => {
      const job = await ok(api.POST('/servers/{server}/acts', { ...call, body: { act: 'say', subject } }));
      const done = await result<Acted>(job);
      said = [...said, { line: subject, answer: done.answer.trimEnd() || '(no answer)' }];
      line = '';
    });
  };
</script>

{#if unknown}
  <div class="box mb-3.5 flex flex-wrap items-center gap-3 px-4 py-2.5">
    <span class="min-w-0 flex-1"
      >How this server is stopped, started and spoken to is not known yet. Deployments change its files while
      it may be running.</span
    >
    <Button kind="main" onclick={() => (editing = true)}>Say how</Button>
  </div>
{:else if q.error}
  <Trouble error={q.error} />
{:else if q.data}
  <div class="box mb-3.5 flex flex-wrap items-center gap-3 px-4 py-2.5" data-standing={q.data.condition}>
    <Stamp small word={q.data.condition} tone={tones[q.data.condition]} />
    <span class="reason min-w-0 flex-1">
      {#if words}{words}{:else}{q.data.probes.map((p) => `${p.by}: ${p.words}`).join('; ')}{/if}
    </span>
    {#if waiting}<Button onclick={giveUp}>Give it up</Button>{/if}
    {#if q.data.condition === 'stopped' || acting.busy === 'start'}
      <Button kind="main" disabled={!!acting.busy} onclick={() => power('start')}
        >{acting.busy === 'start' ? 'Starting…' : 'Start'}</Button
      >
    {:else}
      <Button disabled={!!acting.busy} onclick={() => (asked = 'restart')}
        >{acting.busy === 'restart' ? 'Restarting…' : 'Restart'}</Button
      >
      <Button disabled={!!acting.busy} onclick={() => (asked = 'stop')}
        >{acting.busy === 'stop' ? 'Stopping…' : 'Stop'}</Button
      >
    {/if}
    <Button disabled={!!acting.busy} onclick={callRoll}
      >{acting.busy === 'roll' ? 'Calling…' : 'Call the roll'}</Button
    >
    <Button kind="quiet" onclick={() => (editing = true)}>How it is controlled</Button>
  </div>
{/if}
<Confirm
  bind:open={() => asked !== undefined, (open) => (asked = open ? asked : undefined)}
  title={asked === 'restart' ? `Restart ${server}?` : `Stop ${server}?`}
  about="Whoever plays there is disconnected."
  word={asked === 'restart' ? 'Restart it' : 'Stop it'}
  does={async () => void (asked && power(asked))}
/>
<EditControl bind:open={editing} {server} known={known.data} />
{#if acting.error}<Trouble error={acting.error} />{/if}

{#if q.data}<Narrow {server} />{/if}
{#if roll.data}<div class="box mb-3.5"><RollCall call={roll.data} {server} notes /></div>{/if}

<div class="box">
  <Log {server} bind:lines />
  {#if q.data}
    <div class="border-t border-ink">
      {#each said as s, i (i)}
        <div class="mono px-4 py-1">
          <b>{s.line}</b>
          <pre class="whitespace-pre-wrap">{s.answer}</pre>
        </div>
      {/each}
      <form class="flex gap-2 px-4 py-2" onsubmit={speak}>
        <input
          class="input mono flex-1"
          aria-label="A line for the console"
          placeholder="A line for the console"
          bind:value={line}
        />
        <Button disabled={!!acting.busy} type="submit">Send</Button>
      </form>
    </div>
  {/if}
</div>
