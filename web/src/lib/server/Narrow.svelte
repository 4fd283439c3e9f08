<!-- Finding the add-on that does something wrong where nothing in the log names it: some are off, a
     person says whether it still happens, and the next half is off. In the end all is as it was. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { SvelteSet } from 'svelte/reactivity';
  import { api, ok, type Job, type Narrowing } from '../api/client';
  import { result } from '../api/jobs';
  import { narrowing, status } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import Announce from '../ui/Announce.svelte';
  import Button from '../ui/Button.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server }: { server: string } = $props();
  const client = useQueryClient();
  const q = createQuery(() => narrowing(server));
  const on = createQuery(() => status(server));
  const step = attempting();
  const drafting = new Drafting();
  let can = $derived((on.data?.addons ?? []).filter((a) => a.listed && !a.disabled));
  let asking = $state(false);
  const unsuspected = new SvelteSet<string>();
  let byStart = $state(false);
  let words = $state('');
  let last = $state<Narrowing>(); // of this page, once it is over: the service keeps it no more
  let now = $derived(q.data ?? (last?.over ? last : undefined));
  let params = $derived({ params: { path: { server } } });

  /** Follows a step to its end. */
  const take = (what: string, ask: () => Promise<Job>) =>
    step.run(what, async () => {
      last = undefined;
      try {
        last = await result<Narrowing>(await ask(), (e) => (words = e.data.text ?? words));
      } finally {
        words = '';
        await client.invalidateQueries({ queryKey: ['status', server] });
        await client.invalidateQueries({ queryKey: ['standing', server] });
      }
    });
  const begin = (suspects: string[] | undefined, byStart: boolean) =>
    take('begin', () =>
      ok(api.POST('/servers/{server}/narrowing', { ...params, body: { suspects, byStart } }))
    );
  const answer = (still: boolean) =>
    take(String(still), () =>
      ok(
        api.POST('/servers/{server}/narrowing/answer', {
          ...params,
          body: { still, tried: q.data?.tried ?? 0 }
        })
      )
    );
  const end = () => take('end', () => ok(api.POST('/servers/{server}/narrowing/end', params)));

  // The sheet closes, and what goes on is shown here.
  const send = () =>
    Promise.resolve(() => {
      const some = can.map((a) => a.name).filter((n) => !unsuspected.has(n));
      void begin(unsuspected.size ? some : undefined, byStart);
    });
</script>

{#if now}
  {@const n = now}
  <section class="box mb-3.5" data-narrowing={n.over ? 'over' : 'on'} data-tried={n.tried}>
    <h2 class="border-b border-rule px-4 py-2.5">
      Which add-on does it?{#if !n.over}
        <span class="reason font-text font-normal">question {n.tried + 1}</span>{/if}
    </h2>
    <div class="px-4 py-2.5" role="status">
      {#if !n.over}<p>Off now: <b>{n.off.join(', ')}</b>.</p>{/if}
      <p>{n.says}</p>
      {#if n.note && !n.over}<p class="warn-ink">{n.note}</p>{/if}
      {#if n.down}<p class="reason">{n.down}</p>{/if}
    </div>
    <div class="flex flex-wrap items-center gap-3 border-t border-rule px-4 py-2.5">
      {#if n.over}
        {#if n.blamed}
          {@const guilty = n.blamed}
          <Button
            kind="main"
            disabled={drafting.busy}
            onclick={() => drafting.start(server, { disable: [guilty] })}>Disable {guilty}…</Button
          >
        {/if}
        <Button onclick={() => (last = undefined)}>Close this</Button>
      {:else if n.byStart}
        <span class="min-w-0 flex-1">The server answers by coming up or not.</span>
        <Button kind="main" disabled={!!step.busy} onclick={() => begin(undefined, true)}
          >{step.busy === 'begin' ? 'Starting it…' : 'Go on'}</Button
        >
        <Button disabled={step.busy === 'end'} onclick={end}
          >{step.busy === 'end' ? 'Ending…' : 'Give it up'}</Button
        >
      {:else}
        <b class="min-w-0 flex-1">Does it still happen?</b>
        <Button disabled={!!step.busy} onclick={() => answer(true)}>It still happens</Button>
        <Button disabled={!!step.busy} onclick={() => answer(false)}>It does not happen now</Button>
        <Button kind="quiet" disabled={!!step.busy} title="Everything is put back as it was" onclick={end}
          >{step.busy === 'end' ? 'Ending…' : 'Give it up'}</Button
        >
      {/if}
    </div>
    {#if step.busy}<p class="reason border-t border-rule px-4 py-2" data-step>
        {words || 'Add-ons are taken off and put back, and the server is started…'}
      </p>
      <Announce {words} />{/if}
    <DraftingNote {drafting} />
  </section>
{:else if step.busy}
  <p class="box mb-3.5 px-4 py-2.5" data-narrowing="begins">{words || 'The search begins…'}</p>
{:else if can.length > 1}
  <div class="mb-3.5 flex flex-wrap items-center gap-x-3 gap-y-1">
    <span class="reason">Something is wrong, and nothing in the log says which add-on does it?</span>
    <Button kind="quiet" onclick={() => (asking = true)}>Find it by halves…</Button>
  </div>
{/if}
{#if step.error}<Trouble error={step.error} />{/if}

<FormSheet
  bind:open={asking}
  title="Find the add-on that does it"
  about="Half of the suspects are off, the server is started anew, and you say whether it still happens; then half of what is left. In the end everything is as it was."
  words={['Begin', 'Beginning…']}
  disabled={can.length - unsuspected.size < 2}
  {send}
>
  <div class="max-h-[38vh] overflow-y-auto border border-rule">
    {#each can as a (a.name)}
      <div class="row px-3 py-1">
        <Tick
          checked={!unsuspected.has(a.name)}
          onchange={(is) => void (is ? unsuspected.delete(a.name) : unsuspected.add(a.name))}
          >{a.name} <span class="mono">{a.version}</span></Tick
        >
      </div>
    {/each}
  </div>
  <Tick bind:checked={byStart}
    >What is wrong is that the server does not come up: it is started until the one is found</Tick
  >
</FormSheet>
