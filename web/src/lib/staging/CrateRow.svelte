<script lang="ts">
  import { p } from '../../router';
  import type { Crate } from '../api/client';
  import { clock, size } from '../format';
  import Fits from './Fits.svelte';

  let { crate: c }: { crate: Crate } = $props();
</script>

<tr data-row data-crate={c.label}>
  <td
    ><a class="font-semibold" data-open href={p('/crates/:digest', { params: { digest: c.digest } })}
      >{c.name}</a
    ></td
  >
  <td class="mono">{c.version}</td>
  <td class="max-sm:hidden">{c.kind} <span class="reason">of {c.rulebook}</span></td>
  <td class="mono max-sm:hidden [overflow-wrap:anywhere]">{c.archives.map((a) => a.filename).join(', ')}</td>
  <td class="text-right max-sm:hidden"
    >{c.fileCount}{#if c.leftCount}<span class="reason">, {c.leftCount} left out</span>{/if}</td
  >
  <td class="text-right whitespace-nowrap max-sm:hidden">{size(c.size)}</td>
  <td>
    {#each c.on ?? [] as o, i (o.server)}{i ? ', ' : ''}{o.server}{#if o.version !== c.version}&nbsp;<span
          class="reason">has {o.version}</span
        >{/if}{:else}<span class="reason">nowhere</span>{/each}
    <Fits crate={c} only="bad" />
  </td>
  <td class="text-right whitespace-nowrap reason max-sm:hidden">{clock(c.stagedAt)}</td>
</tr>
