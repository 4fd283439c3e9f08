<!-- What is on a server: the tree, or one file of it. -->
<script lang="ts">
  import { route } from '../../router';
  import FileTree from '../files/FileTree.svelte';
  import OneFile from '../files/OneFile.svelte';

  let { server }: { server: string } = $props();
  let open = $derived(String(route.search.open ?? ''));
</script>

{#if open}
  {#key open}<OneFile {server} path={open} />{/key}
{:else}
  {#key route.search.find}<FileTree {server} wanted={String(route.search.find ?? '')} />{/key}
{/if}
