<!-- The bar of a run with what it is at. -->
<script lang="ts">
  import type { Live } from './live.svelte';

  let { live, undoing }: { live: Live; undoing: boolean } = $props();
  let part = $derived(live.total ? live.done / live.total : 0);
</script>

<div class="border-b border-rule px-4 py-2.5" role="status" data-progress>
  <div class="mb-1.5 flex flex-wrap gap-x-3">
    <b class="font-label text-[16px]">{undoing ? 'Going back' : 'Running'}</b>
    <span class="mono min-w-0 flex-1 truncate">{live.path || live.text}</span>
    {#if live.total}<span class="reason">{live.done} of {live.total} motions</span>{/if}
  </div>
  <div class="h-2 bg-rule-faint"><div class="h-full bg-act" style:width="{part * 100}%"></div></div>
</div>
