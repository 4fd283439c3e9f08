<!-- What came of a download that was staged, on one line: its crates, and whether it was there before. -->
<script lang="ts">
  import { p } from '../../router';
  import type { Staged } from '../api/client';
  import { count } from '../format';

  let { staged }: { staged: Staged } = $props();
</script>

<span class="ml-auto flex flex-wrap gap-x-4">
  {#if staged.known}<span class="reason"
      >the same bytes were staged before{staged.before ? ` as ${staged.before}` : ''}{staged.renamed
        ? '; this name tells the version, so it counts from now on'
        : ''}{staged.reread ? '; names in it are others now' : ''}</span
    >{/if}
  {#each staged.rulebooks as b (b.rulebook)}
    {#if b.pallet}<span class="reason">pallet <b>{b.pallet}</b>:</span>{/if}
    {#each b.crates as c (c.digest)}
      <span>
        <a class="link font-semibold" href={p('/crates/:digest', { params: { digest: c.digest } })}
          >{c.label}</a
        >
        <span class="reason"
          >{c.kind} of {b.rulebook}, {count(c.fileCount, 'file')}{c.leftCount
            ? `, ${c.leftCount} left out`
            : ''}</span
        >
      </span>
    {/each}
  {/each}
  {#if !staged.rulebooks.some((b) => b.crates.length || b.choices?.length || b.findings.length)}
    <span class="warn-ink">no rulebook knows it; the archive is kept</span>
  {/if}
</span>
