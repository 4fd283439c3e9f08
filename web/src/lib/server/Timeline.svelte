<!-- One line per deployment along a rule, the newest on top, with the ways back. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { toDeployment, toServer } from '../../router';
  import type { Addon } from '../api/client';
  import { deployments } from '../api/queries';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { clock, duration, size } from '../format';
  import { later } from '../later.svelte';
  import { counts, toneOf } from '../standing';
  import { sizeOf } from '../timeline/strip';
  import Strip from '../timeline/Strip.svelte';
  import Button from '../ui/Button.svelte';
  import Empty from '../ui/Empty.svelte';
  import Stamp from '../ui/Stamp.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server, addons }: { server: string; addons: Addon[] } = $props();
  let pages = $state(1);
  let addon = $state('');
  let find = $state('');
  const typed = later(() => find.trim());
  let path = $derived(typed.now);
  let touched = $derived({ addon: addon || undefined, path: path || undefined });
  let some = $derived(addon !== '' || path !== '');
  const q = createQuery(() => deployments(server, pages, touched));
  const drafting = new Drafting();
  let shown = $derived((q.data?.list ?? []).filter((d) => d.state !== 'discarded'));
  let good = $derived(some ? undefined : shown.find((d) => d.state === 'done' && d.remark?.good));
  let newest = $derived(some ? undefined : shown.find((d) => d.state === 'done')?.number);
  // Two moments to be compared, in the order in which they were ticked.
  let two = $state<number[]>([]);
  let moments = $derived(two.toSorted((a, b) => a - b));
  const turn = (n: number, on: boolean) => (two = on ? [...two, n].slice(-2) : two.filter((x) => x !== n));
  const away = (ms: number) => (ms ? ` · away ${duration(ms)}` : '');
</script>

{#if q.error}<Trouble error={q.error} />{/if}
<DraftingNote {drafting} />
{#if good && good.number !== newest}
  <p class="mb-3 flex flex-wrap items-center gap-x-4 gap-y-1">
    <span class="min-w-0 flex-1 basis-64"
      >The server was good after <b>{good.name}</b>, says {good.remark?.by}.</span
    >
    <Button disabled={drafting.busy} onclick={() => drafting.start(server, { rollback: { knownGood: true } })}
      >Back to the last known good</Button
    >
  </p>
{/if}
{#if shown.length > 1}<Strip list={shown} />{/if}
{#if shown.length || some}
  <div class="mb-3 flex flex-wrap items-center gap-3">
    <select class="input w-auto" aria-label="Only what touched this add-on" bind:value={addon}>
      <option value="">all add-ons</option>
      {#each addons as a (a.name)}<option value={a.name}>{a.name}</option>{/each}
    </select>
    <input
      class="input max-w-xs"
      type="search"
      data-find
      aria-label="Only what touched this path"
      placeholder="a path that was touched ( / )"
      bind:value={find}
    />
    {#if two.length === 2}
      <Button kind="main" href="{toServer(server, 'compare')}?from={moments[0]}&to={moments[1]}"
        >Compare #{moments[0]} with #{moments[1]}</Button
      >
    {:else}<span class="reason"
        >{two.length ? 'tick one more to compare them' : 'tick two to compare them'}</span
      >{/if}
  </div>
{/if}
<ol class="line">
  {#each shown as d (d.number)}
    <li class="row" data-row data-deployment={d.number}>
      <span
        class="dot {toneOf(d.state)}-ink"
        class:filled={d.state === 'done' && !d.takenBackBy}
        aria-hidden="true"
      ></span>
      {#if d.state === 'done'}<Tick
          label="Compare {d.name}"
          checked={two.includes(d.number)}
          onchange={(on) => turn(d.number, on)}
        />{:else}<span class="w-[18px]"></span>{/if}
      <a class="name" data-open href={toDeployment({ server, number: d.number })}>{d.name}</a>
      <div class="min-w-0 flex-1 max-sm:order-1 max-sm:basis-full">
        <div>{d.title}</div>
        <div class="reason">
          {counts(d.counts)}{sizeOf(d) ? ` · ${size(sizeOf(d))}` : ''}{away(d.figures.awayMs)} · {clock(
            d.endedAt ?? d.createdAt
          )} · {d.runner || d.actor}
        </div>
        {#if d.remark?.text}<div class="reason">“{d.remark.text}” · {d.remark.by}</div>{/if}
      </div>
      {#if d.takenBackBy}<a class="link" href={toDeployment({ server, number: d.takenBackBy })}
          >taken back by #{d.takenBackBy}</a
        >{/if}
      {#if d.remark?.good}<Stamp small word="known good" tone="ok" />{/if}
      <Stamp small word={d.state} tone={toneOf(d.state)} />
      <span class="flex justify-end max-sm:order-2 max-sm:-ml-2 sm:w-[176px]">
        {#if d.state === 'done'}
          {#if !d.takenBackBy}<Button
              kind="quiet"
              disabled={drafting.busy}
              title="The inverse of {d.name} alone"
              label="Take {d.name} back"
              onclick={() => drafting.start(server, { rollback: { deployment: d.number } })}>Take back</Button
            >{/if}
          {#if d.number !== newest}
            <Button
              kind="quiet"
              disabled={drafting.busy}
              title="Everything as it stood after {d.name}"
              label="Back to how it stood after {d.name}"
              onclick={() => drafting.start(server, { rollback: { to: d.number } })}>Back to here</Button
            >
          {/if}
        {/if}
      </span>
    </li>
  {/each}
  {#if q.data?.more}
    <li class="row">
      <span class="dot" aria-hidden="true"></span>
      <Button kind="quiet" disabled={q.isFetching} onclick={() => (pages += 1)}>Older deployments</Button>
    </li>
  {:else if newest !== undefined && !some}
    <li class="row">
      <span class="dot" aria-hidden="true"></span>
      <span class="min-w-0 flex-1 text-ink-soft">before the first deployment</span>
      <Button
        kind="quiet"
        disabled={drafting.busy}
        onclick={() => drafting.start(server, { rollback: { to: 0 } })}>Back to here</Button
      >
    </li>
  {/if}
</ol>
{#if q.data && shown.length === 0}
  {#if some}<p class="text-ink-soft">No deployment touched that.</p>
  {:else}
    <Empty title="No deployment yet" picture="label">
      <p>
        Each deployment to this server will stand here: what came and went, by whom, how long the server was
        away, and the way back to how it was.
      </p>
    </Empty>
  {/if}
{/if}

<style>
  .line {
    border-left: 2px solid var(--ink);
    margin-left: 6px;
    background: var(--sheet);
  }
  .line li {
    position: relative;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 16px;
    padding: 8px 12px 8px 22px;
  }
  .dot {
    position: absolute;
    left: -7px;
    top: 15px;
    width: 12px;
    height: 12px;
    border: 2px solid;
    background: var(--sheet);
  }
  .dot.filled {
    background: currentColor;
  }
  @media (max-width: 639px) {
    .line .name {
      flex: 1;
    }
  }
  .name {
    width: 108px;
    font: 700 17px/1.2 var(--font-label);
  }
</style>
