<!-- One download that the service makes itself, and what came of it. -->
<script lang="ts">
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import CameOf from './CameOf.svelte';
  import type { Fetched } from './fetches.svelte';
  import { swells } from './uploads.svelte';
  import ReadOfIt from './ReadOfIt.svelte';

  let { fetched: f, again, trust }: { fetched: Fetched; again: () => void; trust: () => void } = $props();
  let tone = $derived(f.stage === 'staged' ? 'ok-ink' : f.stage === 'refused' ? 'block-ink' : 'note-ink');
</script>

<div class="row px-4 py-2" data-fetched={f.stage}>
  <div class="flex flex-wrap items-center gap-x-3 gap-y-1">
    <span class="level px-2.5 {tone}">{f.stage}</span>
    <span class="mono [overflow-wrap:anywhere]">{f.wanted.url}</span>
    {#if f.stage === 'downloading'}<span class="reason">{f.words}</span>{/if}
    {#if f.staged}<CameOf staged={f.staged} />{/if}
  </div>
  {#if f.staged}<ReadOfIt bind:staged={() => f.staged!, (st) => (f.staged = st)} />{/if}
  {#if f.error}
    <Trouble error={f.error} />
    <Button kind="quiet" onclick={again}>Try it again</Button>
    {#if swells(f.error)}<Button kind="quiet" onclick={trust}>Stage it as trusted</Button>{/if}
  {/if}
</div>
