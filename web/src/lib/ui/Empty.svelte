<!-- An empty page: what the first step is, and the way to take it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  let { title, children }: { title: string; children: Snippet } = $props();
</script>

<div class="border-[1.5px] border-dashed border-ink-soft px-6 py-8">
  <h2 class="mb-2">{title}</h2>
  <div class="max-w-2xl space-y-4">{@render children()}</div>
</div>
