<!-- An input's label and help around it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  let { label, help, children }: { label: string; help?: string; children: Snippet } = $props();
</script>

<label class="block">
  <span class="label mb-1 block">{label}</span>
  {@render children()}
  {#if help}<span class="reason mt-0.5 block">{help}</span>{/if}
</label>
