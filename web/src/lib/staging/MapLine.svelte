<!-- One line of the map; many files that go the same way are one line that opens. -->
<script lang="ts">
  import { count, size } from '../format';
  import PathText from '../ui/PathText.svelte';

  interface Props {
    way: { source: string; target?: string; size?: number };
    /** How many files it stands for. */
    many?: number;
    why?: string;
    out?: boolean;
    /** One of the files of a line that is open. */
    inner?: boolean;
    open?: boolean;
    onopen?: () => void;
    /** Where a person can say where the files go. */
    onplace?: (source: string) => void;
  }
  let { way, many = 1, why, out = false, inner = false, open = false, onopen, onplace }: Props = $props();
</script>

<div class="line" class:inner>
  <div>
    <PathText path={way.source} struck={out} />
    {#if many > 1}
      <button
        type="button"
        class="button quiet"
        data-open
        aria-expanded={open}
        aria-label="{count(many, 'file')} in {way.source}"
        onclick={onopen}>{count(many, 'file')} {open ? '−' : '+'}</button
      >
    {/if}
  </div>
  <div class="reason why">{why ?? size(way.size ?? 0)}</div>
  <div>
    {#if way.target !== undefined}
      <PathText path={way.target} />
    {:else if !inner}
      <span class="text-ink-soft max-md:hidden">not sent</span>
      {#if onplace}
        <button
          type="button"
          class="button quiet"
          aria-label="Place {way.source}"
          onclick={() => onplace(way.source)}>Place…</button
        >
      {/if}
    {/if}
  </div>
</div>

<style>
  .line {
    display: grid;
    grid-template-columns: minmax(0, 1.5fr) minmax(0, 1fr) minmax(0, 1.5fr);
    border-top: 1px solid var(--rule);
  }
  .line > div {
    padding: 6px 14px;
  }
  .line.inner {
    background: var(--paper);
  }
  .line.inner > div {
    padding-block: 2px;
  }
  .why {
    border-inline: 1px solid var(--rule);
  }
  @media (max-width: 767px) {
    .line {
      grid-template-columns: minmax(0, 1fr);
    }
    .line > div {
      padding-block: 2px;
    }
    .why {
      border: 0;
      background: none;
    }
  }
</style>
