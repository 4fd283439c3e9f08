<!-- The bar of a run with what it is at. -->
<script lang="ts">
  import { size } from '../format';
  import Announce from '../ui/Announce.svelte';
  import Bar from '../ui/Bar.svelte';
  import type { Live } from './live.svelte';
  import { about } from './pace';

  // bytes is how many the run sends in all; what it has sent in earlier tries is among them.
  let { live, undoing, bytes }: { live: Live; undoing: boolean; bytes: number } = $props();
  let left = $derived(live.done >= 0 ? live.left(undoing ? 0 : bytes) : undefined);
  let part = $derived(live.total ? live.done / live.total : 0);
</script>

<div class="border-b border-rule px-4 py-2.5" data-progress>
  <div class="mb-1.5 flex flex-wrap gap-x-3">
    <b class="font-label text-[16px]">{undoing ? 'Going back' : 'Running'}</b>
    <span class="mono min-w-0 flex-1 truncate">{live.path || live.text}</span>
    {#if live.total}<span class="reason" data-pace
        >{live.done} of {live.total} motions{live.rate ? `, ${size(live.rate)} a second` : ''}{left
          ? `, ${about(left)} left at this pace`
          : ''}</span
      >{/if}
  </div>
  <Announce
    words="{undoing ? 'Going back' : 'Running'}{live.total
      ? `, ${live.done} of ${live.total} motions`
      : ''}{left ? `, ${about(left)} left` : ''}"
  />
  <Bar label={undoing ? 'Going back' : 'Running'} {part} />
</div>
