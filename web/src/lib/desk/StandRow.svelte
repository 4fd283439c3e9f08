<!-- How one server stands, each figure with when it was found. -->
<script lang="ts">
  import { p, toDeployment, toServer } from '../../router';
  import type { Stand } from '../api/client';
  import { ago, clock } from '../format';
  import PathText from '../ui/PathText.svelte';
  import Square from '../ui/Square.svelte';
  import { standOf } from './stand';

  let { stand: s }: { stand: Stand } = $props();
  let stands = $derived(standOf(s));
</script>

<tr data-row>
  <td
    ><a class="font-semibold" data-open href={p('/servers/:server', { params: { server: s.server } })}
      >{s.server}</a
    >
    <span class="reason">{s.rulebook} {s.game ?? ''}</span></td
  >
  <td>
    <span
      class="inline-flex items-center gap-2"
      title={s.foundAt ? `${s.told}, ${clock(s.foundAt)}` : undefined}
      ><Square standing={stands} /><span>{stands.word}</span></span
    >
  </td>
  <td class="max-sm:hidden">{s.addons}</td>
  <td>
    {#if s.lookedAt}
      <a class="link" href={toServer(s.server, 'survey')} title={clock(s.lookedAt)}>{ago(s.lookedAt)}</a>
      <span class="reason"
        >{[s.different ? '' : 'as recorded', s.lookedBy ? `as far as ${s.lookedBy} looked` : '']
          .filter(Boolean)
          .join(', ')}</span
      >
    {:else}<span class="reason">not yet</span>{/if}
  </td>
  <td class="max-sm:hidden">
    {#if s.last}
      <a class="link" href={toDeployment(s.last)}>{s.last.name}</a>
      <span class="reason"
        >{s.last.title},
        <time title={clock(s.last.endedAt ?? s.last.createdAt)}
          >{ago(s.last.endedAt ?? s.last.createdAt)}</time
        ></span
      >
    {:else}<span class="reason">none yet</span>{/if}
  </td>
  <td class="max-lg:hidden"
    >{#if s.join}<PathText path={s.join} />{:else}<span class="reason">not said</span>{/if}</td
  >
</tr>
