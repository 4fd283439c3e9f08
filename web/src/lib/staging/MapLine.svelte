<!-- One line of the map; many files that go the same way are one line that opens. -->
<script lang="ts">
  import { Collapsible } from 'bits-ui';
  import { count, size } from '../format';
  import PathText from '../ui/PathText.svelte';
  import type { Line, Way } from './fold';

  interface Props {
    line: Line<Way>;
    out?: boolean;
    /** Where a person can say where the files go. */
    onplace?: (source: string) => void;
  }
  let { line, out = false, onplace }: Props = $props();
  let many = $derived(line.ways.length > 1);
</script>

{#snippet target()}
  {#if line.target !== undefined}
    <PathText path={line.target} />
  {:else}
    <span class="text-ink-soft max-md:hidden">not sent</span>
    {#if onplace}
      <button
        type="button"
        class="button quiet"
        aria-label="Place {line.source}"
        onclick={() => onplace(line.source)}>Place…</button
      >
    {/if}
  {/if}
{/snippet}

<div class="row">
  {#if many}
    <Collapsible.Root>
      <div class="line">
        <div>
          <PathText path={line.source} struck={out} />
          <Collapsible.Trigger class="button quiet">{count(line.ways.length, 'file')}</Collapsible.Trigger>
        </div>
        <div class="reason why">{line.reason}</div>
        <div>{@render target()}</div>
      </div>
      <Collapsible.Content class="border-t border-rule bg-paper">
        {#each line.ways as w (w.source)}
          <div class="line inner">
            <div><PathText path={w.source} struck={out} /></div>
            <div class="reason why">{size(w.size)}</div>
            <div>
              {#if w.target !== undefined}<PathText path={w.target} />{/if}
            </div>
          </div>
        {/each}
      </Collapsible.Content>
    </Collapsible.Root>
  {:else}
    <div class="line">
      <div><PathText path={line.source} struck={out} /></div>
      <div class="reason why">{line.reason}</div>
      <div>{@render target()}</div>
    </div>
  {/if}
</div>

<style>
  .line {
    display: grid;
    grid-template-columns: minmax(0, 1.5fr) minmax(0, 1fr) minmax(0, 1.5fr);
  }
  .line > div {
    padding: 6px 14px;
  }
  .line.inner > div {
    padding-block: 2px;
  }
  .why {
    border-inline: 1px solid var(--rule);
    background: color-mix(in srgb, var(--paper) 60%, transparent);
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
