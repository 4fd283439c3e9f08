<!-- An empty page: what the first step is, a picture of it, and the way to take it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import Picture, { type Subject } from './Picture.svelte';

  let { title, picture, children }: { title: string; picture?: Subject; children: Snippet } = $props();
</script>

<div
  class="flex flex-wrap items-start gap-x-8 gap-y-4 border-[1.5px] border-dashed border-ink-soft px-6 py-8"
>
  {#if picture}<Picture of={picture} />{/if}
  <div class="min-w-0 flex-1 basis-[320px]">
    <h2 class="mb-2">{title}</h2>
    <div class="max-w-2xl space-y-4">{@render children()}</div>
  </div>
</div>
