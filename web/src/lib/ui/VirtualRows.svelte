<!-- Rows of a long list, of which only those near the window are drawn. Each row has its own height.
     Short lists, and any list that is printed, are drawn whole. -->
<script lang="ts" generics="T">
  import { createWindowVirtualizer, defaultRangeExtractor, type Range } from '@tanstack/svelte-virtual';
  import { flushSync, onDestroy, untrack, type Snippet } from 'svelte';
  import { Flight } from './flight';
  import VirtualRow from './VirtualRow.svelte';

  interface Props {
    items: T[];
    keyOf: (item: T, at: number) => string;
    /** How high a row is, as far as is known before it is drawn, in pixels. */
    height?: number;
    row: Snippet<[item: T, at: number]>;
    /** What is seen of a row that goes by too fast to be read. */
    brief: (item: T) => string;
    role?: string;
    label?: string;
  }
  let { items, keyOf, height = 34, row, brief, role, label }: Props = $props();

  const short = 120; // rows that are drawn whole
  const lead = 9; // rows
  let list: HTMLDivElement | undefined = $state();
  let printing = $state(false);
  let whole = $derived(items.length <= short || printing);
  // Its options are set once it is drawn: where it begins on the page is not known before.
  const virtual = createWindowVirtualizer<HTMLDivElement>({ count: 0, estimateSize: () => 34, overscan: 4 });
  let margin = $state(0);

  const flight = new Flight();
  onDestroy(() => flight.end());
  // What goes by fast is drawn further ahead, or the window's edge is empty until the next frame.
  function ahead(r: Range) {
    if (!flight.fast) return defaultRangeExtractor(r);
    const on = flight.down
      ? { ...r, endIndex: r.endIndex + lead }
      : { ...r, startIndex: r.startIndex - lead };
    const all = { startIndex: Math.max(on.startIndex, 0), endIndex: Math.min(on.endIndex, r.count - 1) };
    return defaultRangeExtractor({ ...r, ...all, overscan: 1 });
  }

  $effect(() => {
    if (whole || !list) return;
    const at = list;
    const place = () => (margin = at.getBoundingClientRect().top + window.scrollY);
    place();
    const watch = new ResizeObserver(place); // what stands above may grow
    watch.observe(document.body);
    return () => watch.disconnect();
  });
  // What it is told anew makes it measure all rows again, so it is told only what has changed: its own
  // turns, such as a scroll, are no reason.
  $effect(() => {
    if (whole) return;
    const now = items;
    const options = {
      count: now.length,
      estimateSize: () => usual,
      getItemKey: (i: number) => (now[i] === undefined ? i : keyOf(now[i], i)),
      rangeExtractor: ahead,
      scrollMargin: margin
    };
    untrack(() => $virtual.setOptions(options));
  });

  // Most rows are as high as the first ones turn out to be. A row that is as high as was thought has
  // nothing moved, and moving what follows costs as much as the list is long.
  let shown = $derived($virtual.getVirtualItems());
  let usual = $derived(height);
  let learnt = false;
  function learn() {
    const seen = [...(list?.children ?? [])].map((c) => (c as HTMLElement).offsetHeight);
    const middle = seen.sort((a, b) => a - b)[seen.length >> 1];
    if (middle) usual = middle;
  }

  // Not tracked: whatever the list does next would have each row measured again.
  function measure(row: HTMLDivElement) {
    untrack(() => $virtual).measureElement(row);
    if (learnt) return;
    learnt = true;
    queueMicrotask(learn); // once all of the first ones are there
  }
</script>

<svelte:window
  onscrollcapture={(e) => flight.moved(window.scrollY, e.timeStamp)}
  onbeforeprint={() => flushSync(() => (printing = true))}
  onafterprint={() => (printing = false)}
/>

{#if whole}
  <div {role} aria-label={label}>
    {#each items as item, i (keyOf(item, i))}{@render row(item, i)}{/each}
  </div>
{:else}
  <div
    bind:this={list}
    {role}
    aria-label={label}
    data-rows={items.length}
    style="position:relative;contain:size layout style;height:{$virtual.getTotalSize()}px"
  >
    {#each shown as v (v.key)}
      {#if items[v.index] !== undefined}
        <VirtualRow
          {flight}
          {measure}
          brief={brief(items[v.index]!)}
          index={v.index}
          top={v.start - margin}
          height={usual}
          role={role ? 'presentation' : undefined}
        >
          {@render row(items[v.index]!, v.index)}
        </VirtualRow>
      {/if}
    {/each}
  </div>
{/if}
