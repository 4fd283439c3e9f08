<!-- For the test of attempts: makes one as a component does. -->
<script lang="ts">
  import { QueryClientProvider, type QueryClient } from '@tanstack/svelte-query';
  import Inner from './attempt.probe.inner.svelte';
  import type { Attempt } from './attempt.svelte';

  let { client, made }: { client: QueryClient; made: (a: Attempt) => void } = $props();
</script>

<QueryClientProvider {client}><Inner {made} /></QueryClientProvider>
