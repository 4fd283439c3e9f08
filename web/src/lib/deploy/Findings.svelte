<!-- The findings of a draft, blocks first; a block is accepted by a tick. Many
     of one code are folded, so that what is different is seen. -->
<script lang="ts">
  import type { Deployment, Finding } from '../api/client';
  import Button from '../ui/Button.svelte';
  import FindingRow from '../ui/FindingRow.svelte';
  import Tick from '../ui/Tick.svelte';
  import Choices from './Choices.svelte';
  import { choicesOf } from './decide';
  import DecideBar from './DecideBar.svelte';
  import DecideSides from './DecideSides.svelte';
  import { acceptedBy, alreadyAccepted, canTick, keyOf } from './accepting';
  import { whose, type Side } from './sides';

  let {
    deployment: d,
    accepted = $bindable()
  }: { deployment: Deployment; accepted: Record<string, boolean> } = $props();

  const order = ['block', 'warn', 'note'];
  const few = 5;
  let all = $state(false);
  let sorted = $derived(d.findings.toSorted((a, b) => order.indexOf(a.level) - order.indexOf(b.level)));
  let blocks = $derived(sorted.filter((f) => f.level === 'block').length);
  // Every block is written out: each is a decision.
  let shown = $derived(all ? sorted : sorted.slice(0, Math.max(few, blocks)));
  let open = $derived(sorted.filter((f) => canAccept(f)));

  function canAccept(f: Finding): boolean {
    return d.state === 'draft' && f.level === 'block' && !f.final && !alreadyAccepted(d, f);
  }

  // Whose values stay where both sides changed them: chosen here, drafted anew at once.
  let chosen = $state<Record<string, Side>>({});
  let conflicts = $derived(d.state === 'draft' ? sorted.filter((f) => f.code === 'settings-conflict') : []);

  function acceptAll() {
    accepted = Object.fromEntries(open.map((f) => [keyOf(f), true]));
  }
</script>

{#if sorted.length}
  <div class="border-b-[1.5px] border-ink">
    {#each shown as f (keyOf(f) + f.what)}
      <FindingRow finding={f}>
        {#if canAccept(f)}
          <Tick bind:checked={() => accepted[keyOf(f)] ?? false, (v) => (accepted[keyOf(f)] = v)}
            >I accept this</Tick
          >
        {:else if canTick(f) && d.state === 'draft' && !alreadyAccepted(d, f)}
          <Tick bind:checked={() => accepted[keyOf(f)] ?? false, (v) => (accepted[keyOf(f)] = v)}>Done</Tick>
        {:else if canTick(f) && alreadyAccepted(d, f)}
          <span class="label">ticked by {acceptedBy(d, f)}</span>
        {:else if f.level === 'block' && alreadyAccepted(d, f)}
          <span class="label">accepted by {acceptedBy(d, f)}</span>
        {:else if conflicts.includes(f)}
          <span class="label">{chosen[whose(f)] ? 'decided' : 'to be decided'}</span>
        {:else if f.level === 'block' && d.state === 'draft'}
          <span class="label">cannot be accepted</span>
        {/if}
      </FindingRow>
      {#if d.state === 'draft' && choicesOf(f.remedies).length}<Choices deployment={d} finding={f} />{/if}
      {#if conflicts.includes(f)}
        <div class="px-4 pb-3">
          <DecideSides
            finding={f}
            chosen={chosen[whose(f)]}
            onchoose={(side) => (chosen = { ...chosen, [whose(f)]: side })}
          />
        </div>
      {/if}
    {/each}
    {#if conflicts.length}<DecideBar deployment={d} {conflicts} {chosen} />{/if}
    <div class="flex gap-2 px-3">
      {#if sorted.length > shown.length}<Button kind="quiet" onclick={() => (all = true)}
          >{sorted.length - shown.length} more</Button
        >{/if}
      {#if open.length > 2}<Button kind="quiet" onclick={acceptAll}>Accept all {open.length} blocks</Button
        >{/if}
    </div>
  </div>
{/if}
