<!-- A boxed field of a lading: its label, the figure, and words beside it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    label: string;
    figure?: string | number;
    children?: Snippet;
  }
  let { label, figure, children }: Props = $props();
</script>

<div
  class="min-w-[84px] border-t border-r border-rule px-4 py-3 last:border-r-0 lg:max-w-80 lg:border-t-0 [overflow-wrap:anywhere]"
>
  <div class="label mb-1.5">{label}</div>
  <div class="text-[13px] text-ink-soft">
    {#if figure !== undefined}<b class="figure">{figure}</b>{/if}
    {@render children?.()}
  </div>
</div>
