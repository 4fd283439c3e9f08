<!-- Many steps in one line: what is done, in which folder, why, and how far it is. It opens. -->
<script lang="ts">
  import { count, size } from '../format';
  import { doneOf, type Fold } from './folds';
  import Button from '../ui/Button.svelte';
  import PathText from '../ui/PathText.svelte';
  import StepRow from './StepRow.svelte';

  interface Props {
    fold: Fold;
    /** How many motions of each step are done. */
    came: number[] | undefined;
    /** The step that a run is at; 0 for none. */
    at: number;
    drafted: boolean;
  }
  let { fold, came, at, drafted }: Props = $props();
  const few = 60; // steps that are drawn at once
  let open = $state(false);
  let whole = $state(false);

  let first = $derived(fold.steps[0]!);
  let bytes = $derived(fold.steps.reduce((n, s) => n + (s.bytes ?? 0), 0));
  let done = $derived(fold.steps.filter((s) => s.motions > 0 && doneOf(s, came) >= s.motions).length);
  let ids = $derived(new Set(fold.steps.map((s) => s.id)));
  let current = $derived(!open && ids.has(at));
</script>

<div
  class:under-way={current}
  class="border-b border-rule-faint last:border-b-0"
  data-fold={fold.steps.length}
>
  <button
    type="button"
    class="grid w-full cursor-pointer grid-cols-[66px_minmax(0,1fr)_58px] items-baseline gap-x-3 px-3.5 py-1.5 text-left lg:grid-cols-[74px_minmax(0,1.4fr)_minmax(0,1fr)_58px]"
    aria-expanded={open}
    onclick={() => (open = !open)}
  >
    <span class="font-label text-[13px] font-bold tracking-[0.06em] uppercase">{first.verb}</span>
    <span class="min-w-0">
      <span class="mr-1 inline-block w-3" aria-hidden="true">{open ? '−' : '+'}</span><b
        >{count(fold.steps.length, 'file')}</b
      >
      in <PathText path={fold.folder || './'} />
    </span>
    <span class="reason max-lg:order-last max-lg:col-span-2 max-lg:col-start-2">{first.reason}</span>
    <span class="label text-right whitespace-nowrap">
      {#if drafted || done === 0}{bytes ? size(bytes) : ''}{:else if done < fold.steps.length}{done} of {fold
          .steps.length}{:else}<span class="stamped">done</span>{/if}
    </span>
  </button>
  {#if open}
    <div class="border-t border-rule-faint pl-4">
      {#each whole ? fold.steps : fold.steps.slice(0, few) as s (s.id)}
        <StepRow step={s} came={doneOf(s, came)} current={s.id === at} {drafted} />
      {/each}
      {#if fold.steps.length > few && !whole}
        <Button kind="quiet" onclick={() => (whole = true)}>Show the other {fold.steps.length - few}</Button>
      {/if}
    </div>
  {/if}
</div>
