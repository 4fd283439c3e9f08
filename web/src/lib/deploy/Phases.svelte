<!-- The steps in their three phases. While a deployment runs they are stamped
     one after the other; nothing moves around. -->
<script lang="ts">
  import type { Deployment, Step } from '../api/client';
  import { count } from '../format';
  import Word from '../help/Word.svelte';
  import FoldRow from './FoldRow.svelte';
  import Button from '../ui/Button.svelte';
  import Bar from '../ui/Bar.svelte';
  import { folded, share } from './folds';
  import StepRow from './StepRow.svelte';

  interface Props {
    deployment: Deployment;
    /** The step that a run is at; 0 for none. */
    at: number;
    /** How many motions its job says are done; undefined where none goes forward. */
    motions?: number;
  }
  let { deployment: d, at, motions }: Props = $props();

  const phases: [Step['phase'], string, string][] = [
    ['prepare', 'While it runs', 'nothing on the server changes yet'],
    ['swap', 'Swap', 'by renaming; nothing half-written is seen'],
    ['proof', 'Proof', 'looked at again, recorded, tidied']
  ];
  const few = 60; // lines of a phase that are drawn at once
  let whole = $state<Record<string, boolean>>({});

  let legs = $derived([...new Set((d.steps ?? []).map((s) => s.leg))].toSorted((a, b) => a - b));

  function stepsOf(leg: number, phase: Step['phase']): Step[] {
    return (d.steps ?? []).filter((s) => s.leg === leg && s.phase === phase);
  }

  /** What a phase is called: more where the server is stopped or started in it. */
  function named(phase: Step['phase'], words: string, steps: Step[]): string {
    const has = (...verbs: string[]) => steps.some((s) => verbs.includes(s.verb));
    if (phase === 'swap' && has('stop', 'by hand')) return 'Server stopped';
    if (phase === 'proof' && has('start', 'by hand')) return 'Start and proof';
    return words;
  }
</script>

{#each legs as leg (leg)}
  {#if legs.length > 1}
    <h2 class="border-t-[1.5px] border-ink px-4 py-2">Leg {leg} <Word is="leg" /></h2>
  {/if}
  {#each phases as [phase, words, about] (phase)}
    {@const steps = stepsOf(leg, phase)}
    {@const lines = folded(steps)}
    {@const drafted = d.state === 'draft' || d.state === 'discarded'}
    {@const key = `${leg} ${phase}`}
    {#if steps.length}
      <section
        class="grid border-t border-rule first:border-t-0 md:grid-cols-[190px_minmax(0,1fr)]"
        data-phase={phase}
      >
        <div class="border-rule px-4 py-3 max-md:border-b md:border-r">
          <h2>{named(phase, words, steps)}</h2>
          <div class="reason">{about}</div>
          {#if !drafted}
            <div class="mt-2">
              <Bar label={words} part={share(d.steps ?? [], steps, motions)} tone="ink" thin />
            </div>
          {:else}
            <div class="label mt-1.5">{count(steps.length, 'step')}</div>
          {/if}
        </div>
        <div>
          {#each whole[key] ? lines : lines.slice(0, few) as l ('steps' in l ? `+${l.steps[0]?.id}` : l.id)}
            {#if 'steps' in l}
              <FoldRow fold={l} {at} {drafted} />
            {:else}
              <StepRow step={l} current={l.id === at} {drafted} />
            {/if}
          {/each}
          {#if lines.length > few && !whole[key]}
            <Button kind="quiet" onclick={() => (whole[key] = true)}
              >Show the other {lines.length - few}</Button
            >
          {/if}
        </div>
      </section>
    {/if}
  {/each}
{:else}
  <p class="px-4 py-3 text-ink-soft">No steps.</p>
{/each}
