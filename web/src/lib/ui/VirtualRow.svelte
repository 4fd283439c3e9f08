<!-- A row of a long list: wholly, or as one line of text while the list goes by too fast to be read. -->
<script lang="ts">
  import { onDestroy, type Snippet } from 'svelte';
  import type { Flight } from './flight';

  interface Props {
    flight: Flight;
    brief: string;
    index: number;
    /** Where it begins, and how high it is as long as it is one line, in pixels. */
    top: number;
    height: number;
    /** Takes the row once it is drawn wholly. */
    measure: (row: HTMLDivElement) => void;
    role?: string;
    children: Snippet;
  }
  let { flight, brief, index, top, height, measure, role, children }: Props = $props();

  // svelte-ignore state_referenced_locally
  let whole = $state(!flight.fast);
  // svelte-ignore state_referenced_locally
  if (!whole) onDestroy(flight.landed(() => (whole = true)));
</script>

{#if whole}
  <div {@attach measure} class="placed" data-index={index} {role} style="top:{top}px">
    {@render children()}
  </div>
{:else}
  <div class="placed brief mono" {role} style="top:{top}px;height:{height}px;line-height:{height}px">
    {brief}
  </div>
{/if}

<style>
  .placed {
    position: absolute;
    left: 0;
    width: 100%;
  }
  .brief {
    contain: strict;
    padding: 0 14px;
    white-space: nowrap;
    background: var(--brief, transparent);
    box-shadow: inset 0 1px var(--rule);
  }
</style>
