<!-- A page's title with its actions. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  let { title, beside, children }: { title: string; beside?: Snippet; children?: Snippet } = $props();
</script>

<svelte:head><title>{title} · Restless Crate</title></svelte:head>
<header class="mb-3 flex min-h-9 flex-wrap items-center gap-x-3 gap-y-2">
  <h1 class="[overflow-wrap:anywhere]">{title}</h1>
  {@render beside?.()}
  <div class="ml-auto flex flex-wrap gap-3">{@render children?.()}</div>
</header>
