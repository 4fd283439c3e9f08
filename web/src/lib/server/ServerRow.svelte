<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { p, toDeployment } from '../../router';
  import type { Server } from '../api/client';
  import { statuses } from '../api/queries';
  import { clock } from '../format';
  import { reachedBy, standing } from '../standing';
  import Square from '../ui/Square.svelte';

  let { server }: { server: Server } = $props();
  const q = createQuery(() => ({
    ...statuses(),
    select: (all) => all.find((s) => s.server.name === server.name)
  }));
  let stands = $derived(standing(q.data));
</script>

<tr data-row>
  <td
    ><a class="font-semibold" data-open href={p('/servers/:server', { params: { server: server.name } })}
      >{server.name}</a
    > <span class="reason">{server.rulebook}</span></td
  >
  <td><span class="inline-flex items-center gap-2"><Square standing={stands} />{stands.word}</span></td>
  <td>{q.data?.addons.length ?? ''}</td>
  <td class="max-sm:hidden">
    {#if q.data?.last}
      {@const d = q.data.last}
      <a class="link" href={toDeployment(d)}>{d.name}</a>
      <span class="reason">{d.title}, {clock(d.endedAt ?? d.createdAt)}</span>
    {:else}<span class="reason">none yet</span>{/if}
  </td>
  <td class="reason max-sm:hidden">{reachedBy(server.transport)}</td>
</tr>
