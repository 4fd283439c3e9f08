<!-- A server in the left column: its square, its name, how many add-ons it holds. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { p, route } from '../../router';
  import { desk } from '../api/queries';
  import { standOf } from '../desk/stand';
  import Square from '../ui/Square.svelte';

  let { name }: { name: string } = $props();
  const q = createQuery(() => ({ ...desk(), select: (d) => d.servers.find((s) => s.server === name) }));
  let stands = $derived(standOf(q.data));
  let here = $derived(
    route.pathname === `/servers/${name}` || route.pathname.startsWith(`/servers/${name}/`)
  );
</script>

<a
  href={p('/servers/:server', { params: { server: name } })}
  class="server"
  aria-current={here ? 'page' : undefined}
>
  <Square standing={stands} />
  <span class="min-w-0 truncate">{name}</span>
  <span class="sr-only">{stands.word}</span>
  {#if q.data}<span class="label ml-auto" title="add-ons">{q.data.addons}</span>{/if}
</a>

<style>
  .server {
    display: flex;
    align-items: center;
    gap: 8px;
    min-height: 32px;
    padding: 0 16px 0 13px;
    border-left: 3px solid transparent;
    font-size: 14.5px;
  }
  .server:hover {
    background: var(--rule-faint);
  }
  .server[aria-current] {
    border-color: var(--act);
    background: var(--sheet);
    font-weight: 600;
  }
</style>
