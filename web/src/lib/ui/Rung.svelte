<!-- How far an add-on has come: four boxes stamped from the left, and the word. -->
<script lang="ts">
  import { rungs } from '../standing';

  let { rung }: { rung: string } = $props();
  let reached = $derived(rungs.indexOf(rung));
</script>

<span class="inline-flex items-center gap-2.5">
  <span class="flex" aria-hidden="true">
    {#each rungs as name, i (name)}
      <span class="-ml-px flex h-4 w-4 items-center justify-center border border-ink first:ml-0">
        {#if i <= reached}<span class="h-2.5 w-2.5 bg-ink"></span>{/if}
      </span>
    {/each}
  </span>
  {rung}
</span>
