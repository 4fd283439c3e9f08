<!-- One line per deployment along a rule, the newest on top, with the ways back. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { toDeployment } from '../../router';
  import { deployments } from '../api/queries';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { clock } from '../format';
  import { counts, toneOf } from '../standing';
  import Button from '../ui/Button.svelte';
  import Stamp from '../ui/Stamp.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server }: { server: string } = $props();
  let pages = $state(1);
  const q = createQuery(() => deployments(server, pages));
  const drafting = new Drafting();
  let shown = $derived((q.data?.list ?? []).filter((d) => d.state !== 'discarded'));
  let good = $derived(shown.find((d) => d.state === 'done' && d.remark?.good));
  let newest = $derived(shown.find((d) => d.state === 'done')?.number);
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
<ol class="line">
  {#each shown as d (d.number)}
    <li class="row" data-row data-deployment={d.number}>
      <span class="dot {toneOf(d.state)}-ink" class:filled={d.state === 'done'} aria-hidden="true"></span>
      <a class="name" data-open href={toDeployment({ server, number: d.number })}>{d.name}</a>
      <div class="min-w-0 flex-1">
        <div>{d.title}</div>
        <div class="reason">
          {counts(d.counts)} · {clock(d.endedAt ?? d.createdAt)} · {d.runner || d.actor}
        </div>
        {#if d.remark?.text}<div class="reason">“{d.remark.text}” · {d.remark.by}</div>{/if}
      </div>
      {#if d.remark?.good}<Stamp small word="known good" tone="ok" />{/if}
      <Stamp small word={d.state} tone={toneOf(d.state)} />
      <span class="flex w-[176px] justify-end">
        {#if d.state === 'done'}
          <Button
            kind="quiet"
            disabled={drafting.busy}
            title="The inverse of {d.name} alone"
            onclick={() => drafting.start(server, { rollback: { deployment: d.number } })}>Take back</Button
          >
          {#if d.number !== newest}
            <Button
              kind="quiet"
              disabled={drafting.busy}
              title="Everything as it stood after {d.name}"
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
  {:else if newest !== undefined}
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
{#if q.data && shown.length === 0}<p class="text-ink-soft">No deployment yet.</p>{/if}

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
  .name {
    width: 108px;
    font: 700 17px/1.2 var(--font-label);
  }
</style>
