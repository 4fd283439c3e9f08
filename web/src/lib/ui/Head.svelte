<!-- A page's title with its actions. A page that opens has the focus on its title, so that a
     keyboard and a screen reader begin there. The actions stand at the right: one that may come later
     stands first, so that it moves none that somebody is about to press. -->
<script lang="ts">
  import { onMount, type Snippet } from 'svelte';

  let { title, beside, children }: { title: string; beside?: Snippet; children?: Snippet } = $props();
  let heading: HTMLElement;

  onMount(() => {
    const at = document.activeElement;
    if (!at || at === document.body || at.id === 'main' || at.closest('nav'))
      heading.focus({ preventScroll: true });
  });
</script>

<svelte:head><title>{title} · Restless Crate</title></svelte:head>
<header class="mb-3 flex min-h-9 flex-wrap items-center gap-x-3 gap-y-2">
  <h1 bind:this={heading} class="[overflow-wrap:anywhere] outline-none" tabindex="-1">{title}</h1>
  {@render beside?.()}
  <div class="ml-auto flex flex-wrap gap-3">{@render children?.()}</div>
</header>
