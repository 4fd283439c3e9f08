<script lang="ts">
  import Button from '../lib/ui/Button.svelte';
  import Empty from '../lib/ui/Empty.svelte';
</script>

<main class="p-6">
  <Empty title="There is no such page" picture="tree">
    <p>The address names nothing here. Perhaps a server was renamed or forgotten.</p>
    <Button href="/">To the servers</Button>
  </Empty>
</main>
