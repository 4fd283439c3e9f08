<!-- The steps in their three phases. While a deployment runs they are stamped
     one after the other; nothing moves around. -->
<script lang="ts">
  import type { Deployment, Step } from '../api/client';
  import { count } from '../format';
  import Word from '../help/Word.svelte';
  import FoldRow from './FoldRow.svelte';
  import Button from '../ui/Button.svelte';
  import Bar from '../ui/Bar.svelte';
  import { doneOf, partsOf, share, type Part } from './folds';
  import StepRow from './StepRow.svelte';

  interface Props {
    deployment: Deployment;
    /** The step that a run is at; 0 for none. */
    at: number;
    /** How many motions its job says are done; undefined where none goes forward. */
    motions?: number;
  }
  let { deployment: d, at, motions }: Props = $props();

  const says: Record<Step['phase'], [words: string, about: string]> = {
    prepare: ['While it runs', 'nothing on the server changes yet'],
    swap: ['Swap', 'by renaming; nothing half-written is seen'],
    proof: ['Proof', 'looked at again, recorded, tidied']
  };
  const few = 60; // lines of a phase that are drawn at once
  let whole = $state<Record<string, boolean>>({});

  let drafted = $derived(d.state === 'draft' || d.state === 'discarded');
  // The steps stay the same ones while they are done: what they are folded into is worked out once.
  let steps = $derived(d.steps);
  let parts = $derived(partsOf(steps ?? []));
  let legs = $derived(new Set(parts.map((p) => p.leg)).size);
  let came = $derived(d.stepsDone ?? undefined);

  /** What a part is called: more where the server is stopped or started in it. */
  function named(p: Part): string {
    const has = (...verbs: string[]) => p.steps.some((s) => verbs.includes(s.verb));
    if (p.phase === 'swap' && has('stop', 'by hand')) return 'Server stopped';
    if (p.phase === 'proof' && has('start', 'by hand')) return 'Start and proof';
    return says[p.phase][0];
  }
</script>

{#each parts as part, i (`${part.leg} ${part.phase}`)}
  {@const [words, about] = says[part.phase]}
  {@const key = `${part.leg} ${part.phase}`}
  {@const lines = whole[key] ? part.lines : part.lines.slice(0, few)}
  {#if legs > 1 && part.leg !== parts[i - 1]?.leg}
    <h2 class="border-t-[1.5px] border-ink px-4 py-2">Leg {part.leg} <Word is="leg" /></h2>
  {/if}
  <section
    class="grid border-t border-rule first:border-t-0 md:grid-cols-[190px_minmax(0,1fr)]"
    data-phase={part.phase}
  >
    <div class="border-rule px-4 py-3 max-md:border-b md:border-r">
      <h2>{named(part)}</h2>
      <div class="reason">{about}</div>
      {#if !drafted}
        <div class="mt-2">
          <Bar label={words} part={share(part, came, motions)} tone="ink" thin />
        </div>
      {:else}
        <div class="label mt-1.5">{count(part.steps.length, 'step')}</div>
      {/if}
    </div>
    <div>
      {#each lines as l ('steps' in l ? `+${l.steps[0]?.id}` : l.id)}
        {#if 'steps' in l}
          <FoldRow fold={l} {came} {at} {drafted} />
        {:else}
          <StepRow step={l} came={doneOf(l, came)} current={l.id === at} {drafted} />
        {/if}
      {/each}
      {#if part.lines.length > few && !whole[key]}
        <Button kind="quiet" onclick={() => (whole[key] = true)}
          >Show the other {part.lines.length - few}</Button
        >
      {/if}
    </div>
  </section>
{:else}
  <p class="px-4 py-3 text-ink-soft">No steps.</p>
{/each}
