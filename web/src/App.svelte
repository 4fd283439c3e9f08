<script lang="ts">
  import { QueryClient, QueryClientProvider } from '@tanstack/svelte-query';
  import { Router } from 'sv-router';
  import './router';
  import { Refusal } from './lib/api/client';
  import { setUploads, Uploads } from './lib/staging/uploads.svelte';

  // A refusal is an answer: asking again gives the same one.
  const client = new QueryClient({
    defaultOptions: { queries: { retry: (n, e) => !(e instanceof Refusal) && n < 2, staleTime: 1000 } }
  });
  setUploads(new Uploads());
</script>

<QueryClientProvider {client}>
  <Router />
</QueryClientProvider>
