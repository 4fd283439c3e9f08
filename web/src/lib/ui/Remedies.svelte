<!-- Where a person goes to do what would help. -->
<script lang="ts">
  import { route } from '../../router';
  import type { Remedy } from '../api/client';
  import { linksOf } from '../remedies';

  let { remedies }: { remedies?: Remedy[] } = $props();
  let links = $derived(linksOf(remedies, route.params.server, route.pathname));
</script>

{#each links as l (l.href)}
  <a class="link mr-4" data-remedy href={l.href}>{l.words}</a>
{/each}
