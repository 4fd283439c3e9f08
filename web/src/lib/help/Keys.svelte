<!-- The keys of the console. -->
<script lang="ts">
  import { keys } from '../keys';
  import Sheet from '../ui/Sheet.svelte';

  let { open = $bindable() }: { open: boolean } = $props();
</script>

<Sheet bind:open title="Keys">
  <dl class="grid grid-cols-[90px_1fr] gap-y-2">
    {#each keys as [key, does] (key)}
      <dt class="mono font-semibold">{key}</dt>
      <dd>{does}</dd>
    {/each}
  </dl>
</Sheet>
