<!-- What stands on a page while a draft is made there, and the error if it cannot be. -->
<script lang="ts">
  import Announce from '../ui/Announce.svelte';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import type { Drafting } from './drafting.svelte';

  let { drafting }: { drafting: Drafting } = $props();
</script>

{#if drafting.slow}
  <p class="my-3 flex flex-wrap items-center gap-3">
    <span>{drafting.words}</span>
    <Announce words={drafting.words} />
    <Button kind="quiet" disabled={drafting.cancelling} onclick={() => drafting.cancel()}
      >{drafting.cancelling ? 'Cancelling…' : 'Cancel'}</Button
    >
  </p>
{/if}
{#if drafting.error}<Trouble error={drafting.error} />{/if}
