<!-- A group with what was done on it last, server by server, and what can be done now. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { toDeployment, toServer } from '../../router';
  import { api, ok, type Group, type GroupPart, type GroupRun } from '../api/client';
  import { result } from '../api/jobs';
  import { attempting } from '../attempt.svelte';
  import { clock } from '../format';
  import Announce from '../ui/Announce.svelte';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import Stamp from '../ui/Stamp.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import DeployGroup from './DeployGroup.svelte';

  let { group: g }: { group: Group } = $props();
  const client = useQueryClient();
  const act = attempting();
  let deploying = $state(false);
  let backing = $state(false);
  let dropping = $state(false);
  let side = $state(false);
  let words = $state('');

  const again = async () => {
    await client.invalidateQueries({ queryKey: ['status'] });
  };
  const path = $derived({ params: { path: { group: g.name } } });

  const run = () =>
    void act.run('run', async () => {
      const body = { id: g.last!.id, sideBySide: side ? g.servers.length : undefined };
      const job = await ok(api.POST('/groups/{group}/run', { ...path, body }));
      try {
        await result<GroupRun>(job, (e) => (words = e.data.text ?? words));
      } finally {
        words = '';
        await again();
      }
    });
  async function back() {
    await result(await ok(api.POST('/groups/{group}/back', path)));
    await again();
  }

  const tones = {
    drafted: 'note',
    running: 'warn',
    done: 'ok',
    stopped: 'block',
    back: 'ink',
    nothing: 'ink',
    failed: 'block',
    left: 'warn'
  } as const;
  const told: Record<GroupPart['state'], string> = {
    drafted: 'drafted',
    nothing: 'nothing to do',
    done: 'done',
    failed: 'failed',
    left: 'not begun',
    back: 'taken back'
  };
  const deploymentOf = (name: string) => {
    const [server = '', number] = name.split('#');
    return toDeployment({ server, number: Number(number) });
  };
</script>

<section class="box mb-4" data-group={g.name} aria-label={g.name}>
  <div class="flex flex-wrap items-center gap-x-4 gap-y-2 border-b-[1.5px] border-ink px-4 py-2">
    <h2>{g.name}</h2>
    <span class="min-w-0 flex-1 basis-56 [overflow-wrap:anywhere]">
      {#each g.servers as s, i (s)}{i ? ', ' : ''}<a class="link" href={toServer(s)}>{s}</a>{/each}
    </span>
    <Button label="Forget {g.name}…" onclick={() => (dropping = true)}>Forget…</Button>
    <Button label="Deploy to {g.name}…" onclick={() => (deploying = true)}>Deploy…</Button>
  </div>
  {#if act.error}<Trouble error={act.error} />{/if}
  {#if g.last}
    {@const r = g.last}
    {#each r.parts as p (p.server)}
      <div class="row flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5" data-part={p.state}>
        <span class="w-[120px]"><Stamp small word={told[p.state]} tone={tones[p.state]} /></span>
        <b>{p.server}</b>
        {#if p.deployment}<a class="link" href={deploymentOf(p.deployment)}>{p.deployment}</a>{/if}
        <span class="min-w-0 flex-1 basis-56 [overflow-wrap:anywhere]"
          >{p.words ?? ''}{#if p.back}; taken back by <a class="link" href={deploymentOf(p.back)}>{p.back}</a
            >{/if}</span
        >
      </div>
    {/each}
    <div class="flex flex-wrap items-center gap-x-4 gap-y-2 border-t border-rule px-4 py-2">
      <span class="reason min-w-0 flex-1 basis-56"
        >{words || `${r.state}, by ${r.by}, ${clock(r.at)}`}<Announce {words} /></span
      >
      {#if r.state === 'drafted'}
        <Tick bind:checked={side}>all at the same time</Tick>
        <Button kind="main" disabled={!!act.busy} label="Run the drafts of {g.name}" onclick={run}
          >{act.busy ? 'Running…' : 'Run them'}</Button
        >
      {:else if r.state === 'done' || r.state === 'stopped'}
        <Button label="Take back on all of {g.name}…" onclick={() => (backing = true)}
          >Take back on all…</Button
        >
      {/if}
    </div>
  {:else}
    <p class="px-4 py-2.5 text-ink-soft">Nothing was done on it together yet.</p>
  {/if}
</section>
<DeployGroup bind:open={deploying} group={g} done={again} />
<Confirm
  bind:open={backing}
  title="Take back what was done on {g.name}?"
  about="On every server on which it was done, that deployment is taken back. What was done on a server later stays."
  word="Take it back"
  does={back}
/>
<Confirm
  bind:open={dropping}
  title="Forget the group {g.name}?"
  about="Nothing is done to its servers."
  word="Forget it"
  does={async () => {
    await ok(api.DELETE('/groups/{group}', path));
    await again();
  }}
/>
