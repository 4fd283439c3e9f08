<script lang="ts">
  import { untrack } from 'svelte';
  import { attempting, type Attempt } from './attempt.svelte';

  let { made }: { made: (a: Attempt) => void } = $props();
  const attempt = attempting();
  untrack(() => made(attempt));
</script>

{attempt.busy}
