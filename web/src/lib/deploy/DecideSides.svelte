<!-- A value or lines that both the server and a new version changed: the three side by side, and
     whose stay. -->
<script lang="ts">
  import type { Finding } from '../api/client';
  import type { Side } from './sides';
  import { stands, whose } from './sides';

  interface Props {
    finding: Finding;
    chosen: Side | undefined;
    onchoose: (side: Side) => void;
  }
  let { finding, chosen, onchoose }: Props = $props();
  const id = $props.id();
  let at = $derived(whose(finding));
  let sides = $derived(finding.sides ?? { base: '', mine: '', theirs: '' });
</script>

<div class="mt-1 grid gap-2 sm:grid-cols-3" data-decide={at} role="radiogroup" aria-label="Whose {at} stays">
  <div class="min-w-0 border border-rule p-2">
    <div class="label">Before</div>
    <pre class="mono overflow-x-auto">{stands(sides.base)}</pre>
  </div>
  {#each [{ side: 'mine' as const, name: 'On the server', keep: 'Keep the server’s', text: sides.mine }, { side: 'theirs' as const, name: 'New', keep: 'Take the new one', text: sides.theirs }] as c (c.side)}
    <button
      type="button"
      role="radio"
      aria-checked={chosen === c.side}
      aria-label={c.keep}
      aria-describedby="{id}-{c.side}"
      class="side flex min-w-0 flex-col border p-2 text-left {chosen === c.side ? 'chosen' : ''}"
      onclick={() => onchoose(c.side)}
    >
      <span class="flex w-full items-baseline justify-between gap-2">
        <span class="label">{c.name}</span>
        <span class="reason">{chosen === c.side ? 'stays' : 'choose'}</span>
      </span>
      <pre id="{id}-{c.side}" class="mono overflow-x-auto">{stands(c.text)}</pre>
    </button>
  {/each}
</div>

<style>
  .side {
    border-color: var(--rule);
  }
  .side:hover {
    border-color: var(--ink);
  }
  .chosen {
    border-color: var(--ink);
    background: var(--ok-bg);
  }
  pre {
    max-height: 12rem;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
</style>
