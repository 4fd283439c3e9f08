<!-- A deployment that stands half-way: because something failed, or because it waits for a
     person's hand. -->
<script lang="ts">
  import type { Deployment } from '../api/client';
  import Button from '../ui/Button.svelte';

  let { deployment: d }: { deployment: Deployment } = $props();
  // The first line is what is to be done, the second what is to be copied.
  let byHand = $derived((d.trouble ?? '').split('\n'));
</script>

{#if d.state === 'halted'}
  <div class="border-b border-rule px-4 py-2.5" data-halted>
    <span class="level block-ink mr-3 inline-block px-3">halted</span>{d.trouble}
    <div class="reason mt-1">
      The server stands half-way. Resume finishes it, undo puts back what was there; neither loses anything.
    </div>
  </div>
{:else if d.state === 'waiting'}
  <div class="flex flex-wrap items-center gap-3 border-b-[1.5px] border-ink px-4 py-2.5" data-waiting>
    <span class="level warn-ink px-3">by hand</span>
    <span class="min-w-0 flex-1"
      ><b>{byHand[0]}</b>
      {#if byHand[1]}<code class="mono ml-2 border border-rule px-2 py-0.5" data-copy>{byHand[1]}</code
        >{/if}</span
    >
    {#if byHand[1]}<Button kind="quiet" onclick={() => navigator.clipboard.writeText(byHand[1] ?? '')}
        >Copy it</Button
      >{/if}
    <span class="reason basis-full"
      >{d.goesBack
        ? 'It is being taken back. The rest goes back once you say that this is done.'
        : 'The deployment goes on once you say that it is done.'} You may close this page meanwhile.</span
    >
  </div>
{/if}
