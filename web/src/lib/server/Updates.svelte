<!-- What is on a server beside the newest that is staged and fits: some or all of it becomes one
     deployment with one stop. -->
<script lang="ts">
  import { onMount } from 'svelte';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { p } from '../../router';
  import { api, ok, type Update } from '../api/client';
  import { updates } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { clock, count } from '../format';
  import Every from './Every.svelte';
  import Button from '../ui/Button.svelte';
  import Empty from '../ui/Empty.svelte';
  import PathText from '../ui/PathText.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { announced, held, sorted, waits } from './updates';

  let { server }: { server: string } = $props();
  const client = useQueryClient();
  const drafting = new Drafting();
  const saying = attempting();
  const q = createQuery(() => updates(server));
  let rows = $derived(sorted(q.data ?? []));
  let can = $derived(rows.filter((u) => u.available && !held(u)));
  /** What a person took out, or put in although it is held. */
  let said = $state<Record<string, boolean>>({});
  let alone = $state(true);
  const wanted = (u: Update) => !!u.available && (said[u.addon] ?? !held(u));
  let picked = $derived(rows.filter(wanted));

  // What is asked for again by itself is no look of a person.
  onMount(() => {
    void ok(api.POST('/servers/{server}/updates/looked', { params: { path: { server } } })).then(() =>
      client.invalidateQueries({ queryKey: ['status', server] })
    );
  });

  const update = () =>
    drafting.start(server, {
      crates: picked.flatMap((u) => (u.crate ? [u.crate] : [])),
      orUndoEach: alone || undefined
    });

  const hold = (u: Update, body: { held: boolean; channel: 'stable' | 'development' }) =>
    saying.run('hold', async () => {
      await ok(
        api.PUT('/servers/{server}/addons/{addon}/hold', {
          params: { path: { server, addon: u.addon } },
          body: { ...body, note: u.hold?.note ?? '' }
        })
      );
      delete said[u.addon];
      await client.invalidateQueries({ queryKey: ['updates', server] });
      await client.invalidateQueries({ queryKey: ['status', server] });
    });
  const channel = (u: Update) => u.hold?.channel || 'stable';
</script>

<DraftingNote {drafting} />
{#if saying.error}<Trouble error={saying.error} />{/if}
{#if q.error}
  <Trouble error={q.error} />
{:else if q.data?.length === 0}
  <Empty title="Nothing was deployed here yet" picture="crate">
    <p>
      Once add-ons are on the server, this tells which of them have something newer that is staged and fits.
    </p>
  </Empty>
{:else if q.data}
  <div class="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2">
    {#if can.length}
      <Button kind="main" disabled={drafting.busy || picked.length === 0} onclick={update}
        >Draft {count(picked.length, 'update')}…</Button
      >
      <label class="inline-flex items-center gap-2"
        ><Tick bind:checked={alone} label="What does not load goes back alone" /> what does not load goes back alone</label
      >
    {:else}
      <span class="text-ink-soft"
        >Of everything on {server} the newest that is staged and fits is deployed.
        <a class="link" href={p('/staging')}>Stage a download</a></span
      >
    {/if}
    <Every {server} what="updatesEvery" label="You mean to look" />
  </div>
  <div class="border border-rule">
    {#each rows as u (u.addon)}
      <div class="row flex flex-wrap items-start gap-x-3.5 gap-y-1 px-4 py-2" data-update={u.addon}>
        {#if u.available}
          <Tick
            bind:checked={() => wanted(u), (v) => (said[u.addon] = v)}
            label="Update {u.addon} to {u.available}"
          />
        {:else}<span class="w-[18px]"></span>{/if}
        <span class="min-w-0 flex-1 basis-64">
          <b>{u.addon}</b>
          <span class="mono"
            >{u.installed}{#if u.available}&nbsp;→ {u.available}{/if}</span
          >
          {#if u.available}
            <span class="reason"
              >{u.channel}{#if u.stagedAt}, staged {clock(u.stagedAt)}{/if} · {u.in ?? 0} in, {u.changed ?? 0} changed,
              {u.out ?? 0} out</span
            >
          {:else if !u.unfit}<span class="reason">nothing newer is staged</span>{/if}
          {#if u.settings?.length}
            <span class="reason block"
              >it changes {#each u.settings as s, i (s)}{i ? ', ' : ''}<PathText path={s} />{/each} too; yours is
              merged with it</span
            >
          {/if}
          {#if u.needs?.length}<span class="reason block">it needs {u.needs.join(', ')}</span>{/if}
          {#if announced(u)}<span class="reason block">{announced(u)}; <i>Staging</i> fetches it</span>{/if}
          {#if waits(u)}<span class="warn-ink block">{waits(u)}</span>{/if}
          {#if held(u)}<span class="block"
              ><span class="label">held</span> {u.hold?.note} <span class="reason">{u.hold?.by}</span></span
            >{/if}
        </span>
        <span class="flex flex-wrap gap-x-1">
          <Button
            kind="quiet"
            disabled={saying.busy !== ''}
            onclick={() => hold(u, { held: !held(u), channel: channel(u) })}
            >{held(u) ? 'Hold no more' : 'Hold'}</Button
          >
          <Button
            kind="quiet"
            disabled={saying.busy !== ''}
            onclick={() =>
              hold(u, { held: held(u), channel: channel(u) === 'stable' ? 'development' : 'stable' })}
            >{channel(u) === 'stable' ? 'Development builds too' : 'Stable builds only'}</Button
          >
        </span>
      </div>
    {/each}
  </div>
{/if}
