<!-- The head of a deployment's sheet. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import { toDeployment } from '../../router';
  import type { Deployment } from '../api/client';
  import { clock, count, duration, size } from '../format';
  import { toneOf } from '../standing';
  import Field from '../ui/Field.svelte';
  import Lading from '../ui/Lading.svelte';
  import Stamp from '../ui/Stamp.svelte';

  let { deployment: d, children }: { deployment: Deployment; children: Snippet } = $props();
</script>

<Lading tape={d.name} {children}>
  {#snippet fields()}
    <Field label="What" wide>{d.title}</Field>
    {#if d.takenBackBy}<Field label="Taken back by"
        ><a class="link" href={toDeployment({ server: d.server, number: d.takenBackBy })}
          >{d.server}#{d.takenBackBy}</a
        ></Field
      >{/if}
    <Field label="Files">
      {#if d.counts.in}<b class="figure">{d.counts.in}</b> in{/if}
      {#if d.counts.changed}<b class="figure">{d.counts.changed}</b> changed{/if}
      {#if d.counts.out}<b class="figure">{d.counts.out}</b> out{/if}
      {#if d.counts.in + d.counts.changed + d.counts.out === 0}none move{/if}
      {#if d.counts.edited}<span>· {count(d.counts.edited, 'text')} edited</span>{/if}
      {#if d.counts.same}<span class="whitespace-nowrap">· {d.counts.same} there already</span>{/if}
    </Field>
    {#if d.state === 'done' || d.state === 'undone'}
      <Field label="Sent" figure={size(d.figures.sent)}
        >every size checked, and the bytes of {count(d.figures.proved, 'file')}</Field
      >
      <Field label="Swap" figure={duration(d.figures.swapMs)}
        >of {duration(
          d.figures.lookMs + d.figures.prepareMs + d.figures.swapMs + d.figures.proofMs + d.figures.tidyMs
        )} in all{#if d.figures.lostLines}; the line was lost {d.figures.lostLines === 1
            ? 'once'
            : `${d.figures.lostLines} times`} and taken up again{/if}</Field
      >
      {#if d.figures.awayMs}<Field label="Away" figure={duration(d.figures.awayMs)}
          >from the stop to ready, {duration(d.figures.swapMs)} of it ours</Field
        >{/if}
      <Field label={d.state === 'done' ? 'Done' : 'Undone'}
        ><span class="whitespace-nowrap">{clock(d.endedAt ?? d.createdAt)}</span> by {d.runner ||
          d.actor}</Field
      >
    {:else}
      <Field label="To send" figure={size(d.counts.send)} />
      <Field label="To keep" figure={size(d.counts.keep)} />
      <Field label="Way back">{d.wayBack}</Field>
    {/if}
  {/snippet}
  {#snippet stamp()}<Stamp
      word={d.takenBackBy ? 'taken back' : d.state}
      tone={d.takenBackBy ? 'ink' : toneOf(d.state)}
    />{/snippet}
</Lading>
