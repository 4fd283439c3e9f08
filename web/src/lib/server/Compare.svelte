<!-- How a server stood at two times, side by side: add-ons, files, and the values in its texts. One
     value, one path or one add-on can go back from here. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { route } from '../../router';
  import type { FileTurn, ValueTurn } from '../api/client';
  import { comparison, comparisonWith, deployments, servers } from '../api/queries';
  import Diff from '../deploy/Diff.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { clock, count } from '../format';
  import Button from '../ui/Button.svelte';
  import Empty from '../ui/Empty.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import PathText from '../ui/PathText.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { valueBack } from './compare';

  let { server }: { server: string } = $props();
  const drafting = new Drafting();
  const list = createQuery(() => deployments(server, 2));
  let done = $derived((list.data?.list ?? []).filter((d) => d.state === 'done'));
  let picked = $state<string | undefined>(
    route.search.from === undefined ? undefined : String(route.search.from)
  );
  let beside = $state(route.search.to === undefined ? '-1' : String(route.search.to));
  // Another server of the same game may stand beside this one.
  const all = createQuery(servers);
  let mine = $derived(all.data?.find((s) => s.name === server)?.rulebook);
  let others = $derived((all.data ?? []).filter((s) => s.name !== server && s.rulebook === mine));
  const apart = 'server ';
  let other = $derived(beside.startsWith(apart) ? beside.slice(apart.length) : '');
  // At first: what the last deployment changed; beside another server, how this one stands now.
  let from = $derived(
    picked !== undefined && (other || picked !== '-1') ? picked : other ? '-1' : String(done[1]?.number ?? 0)
  );
  const q = createQuery(() => ({
    ...(other
      ? comparisonWith(server, Number(from), other)
      : comparison(server, Number(from), Number(beside))),
    enabled: done.length > 0
  }));
  let opened = $state<Record<string, boolean>>({});

  const words: Record<string, string> = { in: 'there', out: 'here', changed: 'differs' };
  let sides = $derived<Record<string, string>>({
    in: `on ${other} alone`,
    out: `on ${server} alone`,
    changed: 'other bytes'
  });

  const back = (f: FileTurn, v: ValueTurn) =>
    drafting.start(server, { tweaks: [valueBack(f.path, v, q.data?.from ?? '')] });
</script>

{#if list.error}<Trouble error={list.error} />{/if}
<DraftingNote {drafting} />
{#if list.data && done.length === 0}
  <Empty title="Nothing was deployed here yet" picture="label">
    <p>Once something was, this shows how the server stood at any two times, and what differs.</p>
  </Empty>
{:else if list.data}
  {#snippet moments()}
    {#each done as d (d.number)}
      <option value={String(d.number)}
        >after {d.name}, {clock(d.endedAt ?? d.createdAt)}{d.remark?.good ? ', known good' : ''}: {d.title}</option
      >
    {/each}
    <option value="0">before the first deployment</option>
  {/snippet}
  <div class="mb-4 grid gap-3 sm:grid-cols-2">
    <Labelled label="As it stood">
      <select class="input" bind:value={() => from, (v) => (picked = v)}>
        {#if other}<option value="-1">now, by the ledger</option>{/if}
        {@render moments()}
      </select>
    </Labelled>
    <Labelled label="Beside">
      <select class="input" bind:value={beside}>
        <option value="-1">now, by the ledger</option>
        {@render moments()}
        {#if others.length}
          <optgroup label="another server, now">
            {#each others as s (s.name)}<option value={apart + s.name}>{s.name}</option>{/each}
          </optgroup>
        {/if}
      </select>
    </Labelled>
  </div>
  {#if q.error}<Trouble error={q.error} />{/if}
  {#if q.data}
    {@const c = q.data}
    {#if c.addons.length + c.files.length === 0}
      <p class="text-ink-soft">
        Nothing that was deployed differs{other ? ` between ${server} and ${other}` : ''}.
      </p>
    {:else}
      <p class="mb-3">
        {#if other}{count(c.in, 'file')} on {other} alone, {c.changed} with other bytes, {c.out} on {server} alone{:else}{count(
            c.in,
            'file'
          )} in, {c.changed} changed, {c.out} out{/if}
      </p>
      {#if c.addons.length}
        <div class="mb-4 border border-rule" aria-label="Add-ons that stood otherwise">
          {#if other}
            <div class="label flex flex-wrap gap-x-3.5 border-b border-rule px-4 py-1.5" aria-hidden="true">
              <span class="min-w-0 flex-1 basis-40">Add-on</span>
              <span class="basis-52">on {server}</span><span class="basis-52">on {other}</span>
            </div>
          {/if}
          {#each c.addons as a (a.addon)}
            <div class="row flex flex-wrap items-center gap-x-3.5 px-4 py-1.5" data-turn={a.addon}>
              <b class="min-w-0 flex-1 basis-40">{a.addon}</b>
              <span class="mono basis-52">{a.was || 'not there'}</span>
              <span class="mono basis-52">{other ? '' : '→ '}{a.is || 'not there'}</span>
              {#if beside === '-1'}
                <Button
                  kind="quiet"
                  disabled={drafting.busy}
                  title="{a.addon} alone, as it stood {c.from}"
                  label="Back to that: {a.addon}"
                  onclick={() => drafting.start(server, { rollback: { addon: a.addon, to: Number(from) } })}
                  >Back to that</Button
                >
              {/if}
            </div>
          {/each}
        </div>
      {/if}
      <div class="border border-rule" aria-label="Files that stood otherwise">
        {#each c.files as f (f.path)}
          <div class="row px-4 py-1.5" data-file={f.path}>
            <div class="flex flex-wrap items-center gap-x-3.5">
              <span class="level w-[74px]" title={other ? sides[f.what] : undefined}
                >{other ? (words[f.what] ?? f.what) : f.what}</span
              >
              <span class="min-w-0 flex-1 basis-64"
                ><PathText path={f.path} /> <span class="reason">{f.of || 'edited'}</span></span
              >
              {#if f.diff}
                <Button
                  kind="quiet"
                  label="{opened[f.path] ? 'Hide' : 'Line by line'}: {f.path}"
                  expanded={opened[f.path] ?? false}
                  onclick={() => (opened[f.path] = !opened[f.path])}
                  >{opened[f.path] ? 'Hide' : 'Line by line'}</Button
                >
              {/if}
              {#if beside === '-1'}
                <Button
                  kind="quiet"
                  disabled={drafting.busy}
                  title="This file alone, as it stood {c.from}"
                  label="Back to that: {f.path}"
                  onclick={() => drafting.start(server, { rollback: { path: f.path, to: Number(from) } })}
                  >Back to that</Button
                >
              {/if}
            </div>
            {#if f.why}<p class="reason pl-[88px]">{f.why}</p>{/if}
            {#each f.values ?? [] as v (v.at)}
              <div class="flex flex-wrap items-center gap-x-3.5 pl-[88px] max-sm:pl-0" data-value={v.at}>
                <span class="mono min-w-0 flex-1 basis-48 [overflow-wrap:anywhere]">{v.at}</span>
                <span class="mono basis-40 [overflow-wrap:anywhere]">{v.new ? 'not there' : v.was}</span>
                <span class="mono basis-40 [overflow-wrap:anywhere]">→ {v.gone ? 'not there' : v.is}</span>
                {#if beside === '-1' && !v.was.includes('······')}
                  <Button
                    kind="quiet"
                    disabled={drafting.busy}
                    title="This value alone, as a tweak; all else in the text stays"
                    label="Back to that: {v.at} of {f.path}"
                    onclick={() => back(f, v)}>Back to that</Button
                  >
                {/if}
              </div>
            {/each}
            {#if f.diff && opened[f.path]}<Diff diff={f.diff} />{/if}
          </div>
        {/each}
      </div>
    {/if}
  {/if}
{/if}
