<!-- Rows of a long list, of which only those near the window are drawn. Each row has its own height.
     Short lists, and any list that is printed, are drawn whole. -->
<script lang="ts" generics="T">
  import { createWindowVirtualizer } from '@tanstack/svelte-virtual';
  import { flushSync, untrack, type Snippet } from 'svelte';

  interface Props {
    items: T[];
    keyOf: (item: T, at: number) => string;
    /** How high a row is, as far as is known before it is drawn, in pixels. */
    height?: number;
    row: Snippet<[item: T, at: number]>;
    role?: string;
    label?: string;
  }
  let { items, keyOf, height = 34, row, role, label }: Props = $props();

  const short = 120; // rows that are drawn whole
  let list: HTMLDivElement | undefined = $state();
  let printing = $state(false);
  let whole = $derived(items.length <= short || printing);
  // Its options are set once it is drawn: where it begins on the page is not known before.
  const virtual = createWindowVirtualizer<HTMLDivElement>({ count: 0, estimateSize: () => 34, overscan: 4 });
  let margin = $state(0);

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

  const measured = (node: HTMLDivElement) => {
    $virtual.measureElement(node);
    if (learnt) return;
    learnt = true;
    queueMicrotask(learn); // once all of the first ones are there
  };
</script>

<svelte:window
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
        <div
          {@attach measured}
          class="absolute left-0 w-full"
          data-index={v.index}
          role={role ? 'presentation' : undefined}
          style="top:{v.start - margin}px"
        >
          {@render row(items[v.index]!, v.index)}
        </div>
      {/if}
    {/each}
  </div>
{/if}
