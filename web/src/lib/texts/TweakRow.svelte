<!-- A tweak that holds: what it does, why, and the way back. -->
<script lang="ts">
  import type { TweakOn } from '../api/client';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import Button from '../ui/Button.svelte';

  let { server, tweak: k, named = false }: { server: string; tweak: TweakOn; named?: boolean } = $props();
  const drafting = new Drafting();
  let why = $derived(
    [
      k.for && `goes with ${k.for}`,
      k.off ? `done once ${k.if} is there` : k.if && `while ${k.if} is there`,
      k.from && `from ${k.from}`,
      k.note
    ]
      .filter((w) => w)
      .join('; ')
  );
</script>

<div class="row px-3 py-2" data-tweak={k.id}>
  <div class="flex flex-wrap items-center gap-x-3">
    <span class="mono text-ink-soft">{k.id}</span>
    <span class="min-w-0 [overflow-wrap:anywhere]"
      >{#if named}<b class="mono">{k.path}</b>{/if}
      {k.does.replace(/^it /, '')}</span
    >
    {#if why}<span class="reason">{why}</span>{/if}
    <span class="ml-auto"
      ><Button
        kind="quiet"
        disabled={drafting.busy}
        onclick={() => drafting.start(server, { untweak: [k.id] })}>Take back…</Button
      ></span
    >
  </div>
  <DraftingNote {drafting} />
</div>
