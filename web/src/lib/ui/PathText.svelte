<!-- A path or another value that is copied whole with one click. -->
<script lang="ts">
  import Check from '@lucide/svelte/icons/check';
  import Copy from '@lucide/svelte/icons/copy';

  let { path, struck = false }: { path: string; struck?: boolean } = $props();
  let copied = $state(false);

  async function copy() {
    await navigator.clipboard.writeText(path);
    copied = true;
    setTimeout(() => (copied = false), 1200);
  }
</script>

<span class="path mono [overflow-wrap:anywhere]" class:line-through={struck} class:text-ink-soft={struck}
  >{path}<button type="button" class="copy" aria-label="Copy {path}" title="Copy the path" onclick={copy}
    >{#if copied}<Check size={12} />{:else}<Copy size={12} />{/if}</button
  ></span
>

<style>
  .copy {
    opacity: 0;
    padding: 0 4px;
    vertical-align: -1px;
    color: var(--note);
  }
  .path:hover .copy,
  .copy:focus-visible {
    opacity: 1;
  }
</style>
