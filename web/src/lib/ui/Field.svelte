<!-- A boxed field of a lading: its label, the figure, and words beside it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    label: string;
    figure?: string | number;
    /** It has more to say than the others. */
    wide?: boolean;
    children?: Snippet;
  }
  let { label, figure, wide = false, children }: Props = $props();
</script>

<div
  class="border-t border-r border-rule px-4 py-3 [overflow-wrap:break-word] last:border-r-0 max-lg:min-w-0 lg:-mt-px {wide
    ? 'lg:flex-[2_1_160px]'
    : 'lg:flex-[1_1_100px]'}"
>
  <div class="label mb-1.5">{label}</div>
  <div class="text-[13px] text-ink-soft">
    {#if figure !== undefined}<b class="figure">{figure}</b>{/if}
    {@render children?.()}
  </div>
</div>
