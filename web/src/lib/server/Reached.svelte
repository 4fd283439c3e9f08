<!-- How the last try to reach a server's host went, and what its probes last told of its game. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { desk } from '../api/queries';
  import { ago, clock } from '../format';
  import FindingRow from '../ui/FindingRow.svelte';

  let { server }: { server: string } = $props();
  const q = createQuery(() => ({ ...desk(), select: (d) => d.servers.find((s) => s.server === server) }));
</script>

{#if q.data?.triedAt}
  {@const s = q.data}
  <section
    class="mt-4 border border-rule"
    aria-label="The last try"
    data-reach={s.trouble ? 'trouble' : 'reached'}
  >
    {#if s.trouble}
      <p class="label px-4 pt-2">
        Last tried {clock(s.triedAt ?? '')}{s.reachedAt
          ? `, last reached ${clock(s.reachedAt)}`
          : ', never reached yet'}
      </p>
      <FindingRow finding={s.trouble} />
    {:else}
      <p class="px-4 py-2">
        The host was reached <time title={clock(s.triedAt ?? '')}>{ago(s.triedAt ?? '')}</time>.
        {#if s.condition}
          Its game was found {s.condition === 'unknown' ? 'neither running nor stopped' : s.condition}
          <time title={clock(s.foundAt ?? '')}>{ago(s.foundAt ?? '')}</time>
          <span class="reason">({s.told})</span>.
        {/if}
      </p>
    {/if}
  </section>
{/if}
