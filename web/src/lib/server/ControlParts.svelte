<!-- How a server is stopped, started, spoken to and looked at, part by part, with a try beside each. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { toServer } from '../../router';
  import { api, ok, problemOf, type Acted } from '../api/client';
  import { result } from '../api/jobs';
  import { controlKnown } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import { clock, count } from '../format';
  import Button from '../ui/Button.svelte';
  import EditControl from './EditControl.svelte';
  import { partsOf } from './parts';

  let { server }: { server: string } = $props();
  const client = useQueryClient();
  const known = createQuery(() => controlKnown(server));
  const trying = attempting();
  let editing = $state(false);
  let line = $state('');
  // What came of the last try of each part, and when.
  let came = $state<Record<string, { words: string; bad: boolean; at: string }>>({});
  let parts = $derived(partsOf(known.data ?? {}));
  let call = $derived({ params: { path: { server } } });

  const tries: Record<string, () => Promise<string>> = {
    probes: async () => {
      const s = await ok(api.GET('/servers/{server}/standing', call));
      return `${s.condition}: ${s.probes.map((p) => `${p.by}: ${p.words}`).join('; ')}`;
    },
    console: async () => {
      const job = await ok(
        api.POST('/servers/{server}/acts', { ...call, body: { act: 'say', subject: line } })
      );
      const done = await result<Acted>(job);
      return done.answer.trim()
        ? `it answered: ${done.answer.trim()}`
        : 'it took the line and answered nothing';
    },
    log: async () => {
      const piece = await ok(
        api.GET('/servers/{server}/log', { params: { ...call.params, query: { from: '' } } })
      );
      const last = piece.lines.at(-1)?.text;
      return last
        ? `${count(piece.lines.length, 'line')} at its end, the last: ${last}`
        : 'it is there and empty';
    }
  };
  const tryIt = (part: string) =>
    void trying.run(part, async () => {
      const at = new Date().toISOString();
      try {
        came[part] = { words: await tries[part]!(), bad: false, at };
      } catch (e) {
        came[part] = { words: problemOf(e).detail, bad: true, at };
      }
      await client.invalidateQueries({ queryKey: ['status', '', 'desk'] });
    });
</script>

<div class="mt-6 mb-2 flex flex-wrap items-center gap-3">
  <h2>Control</h2>
  <Button onclick={() => (editing = true)}>Change how it is controlled…</Button>
</div>
<div class="box" data-control-parts>
  {#each parts as p (p.name)}
    <div class="row px-4 py-2" data-part={p.name}>
      <div class="flex flex-wrap items-center gap-x-4 gap-y-1">
        <b class="w-40">{p.title}</b>
        <span class="min-w-0 flex-1 basis-56 [overflow-wrap:anywhere]">{p.how}</span>
        {#if p.tried === 'here'}
          {#if p.name === 'console'}
            <input
              class="input mono w-48"
              aria-label="A line to try the console with"
              placeholder="a harmless line"
              bind:value={line}
            />
          {/if}
          <Button
            label="Try: {p.title}"
            disabled={trying.busy !== '' || (p.name === 'console' && !line.trim())}
            onclick={() => tryIt(p.name)}>{trying.busy === p.name ? 'Trying…' : 'Try it'}</Button
          >
        {:else if p.tried === 'running'}<a class="link" href={toServer(server, 'running')}>done on Running</a
          >{/if}
      </div>
      {#if came[p.name]}
        {@const c = came[p.name]!}
        <p
          class="mt-1 [overflow-wrap:anywhere] {c.bad ? 'block-ink' : ''}"
          role="status"
          data-came={c.bad ? 'bad' : 'good'}
        >
          {c.words} <span class="reason">{clock(c.at)}</span>
        </p>
      {/if}
    </div>
  {/each}
</div>
<EditControl bind:open={editing} {server} known={known.data} />
