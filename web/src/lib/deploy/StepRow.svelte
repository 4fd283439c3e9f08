<!-- One step: its verb, its path, its reason, its cost, and its stamp once done. -->
<script lang="ts">
  import type { Step } from '../api/client';
  import { size } from '../format';
  import PathText from '../ui/PathText.svelte';
  import Diff from './Diff.svelte';

  interface Props {
    step: Step;
    /** How many of its motions are done. */
    came: number;
    current: boolean;
    drafted: boolean;
  }
  let { step: s, came, current, drafted }: Props = $props();
  let done = $derived(!drafted && s.motions > 0 && came >= s.motions);
</script>

<div
  class="row grid grid-cols-[66px_minmax(0,1fr)_58px] items-baseline gap-x-3 px-3.5 py-1.5 lg:grid-cols-[74px_minmax(0,1.4fr)_minmax(0,1fr)_58px]"
  class:under-way={current}
  data-step={s.id}
  aria-current={current ? 'step' : undefined}
>
  <span class="font-label text-[13px] font-bold tracking-[0.06em] uppercase">{s.verb}</span>
  <span class="min-w-0">
    {#if s.path}<PathText path={s.path} />{/if}
    {#if s.what}<span class:reason={s.path}>{s.what}</span>{/if}
  </span>
  <span class="reason max-lg:order-last max-lg:col-span-2 max-lg:col-start-2">{s.reason}</span>
  <span class="label text-right whitespace-nowrap">
    {#if done}<span class="stamped">done</span>{:else if s.bytes}{size(s.bytes)}{/if}
  </span>
  {#if s.diff}<div class="order-last col-span-full min-w-0"><Diff diff={s.diff} /></div>{/if}
</div>
