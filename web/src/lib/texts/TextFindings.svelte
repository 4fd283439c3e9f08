<!-- What is wrong with texts: where, why, and a draft that mends it where one can. -->
<script lang="ts">
  import type { components } from '../api/generated/schema';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import Button from '../ui/Button.svelte';
  import FindingRow from '../ui/FindingRow.svelte';

  interface Props {
    findings: components['schemas']['TextFinding'][];
    /** Whose texts they are; without it nothing can be mended here. */
    server?: string;
    to?: (path: string) => string;
  }
  let { findings, server, to }: Props = $props();
  const drafting = new Drafting();
</script>

<DraftingNote {drafting} />
<div class="box mb-3">
  {#each findings as f, i (`${f.path} ${f.line} ${f.what} ${i}`)}
    <FindingRow finding={f}>
      {#if to && f.path}<a class="link mr-3 whitespace-nowrap" href={to(f.path)}
          >{f.line ? `Line ${f.line}` : 'Open it'}</a
        >{/if}
      {#if server && f.tweak && f.path}
        {@const wish = { tweaks: [{ path: f.path, tweak: f.tweak }] }}
        <Button disabled={drafting.busy} onclick={() => drafting.start(server, wish)}>Mend it…</Button>
      {/if}
    </FindingRow>
  {/each}
</div>
