<!-- What a person should read, or choose, of a download that was staged; notes stand on the crate's own
     page. -->
<script lang="ts">
  import type { Staged } from '../api/client';
  import FindingRow from '../ui/FindingRow.svelte';
  import ChooseRoot from './ChooseRoot.svelte';

  let { staged = $bindable() }: { staged: Staged } = $props();
  let worth = $derived(
    staged.rulebooks
      .flatMap((b) => [...b.crates.flatMap((c) => c.findings), ...b.findings])
      .filter((f, i, all) => f.level !== 'note' && all.findIndex((o) => o.what === f.what) === i)
  );
</script>

{#if worth.length}
  <div class="mt-1.5">
    {#each worth as f (f.code + f.path + f.what)}<FindingRow finding={f} />{/each}
  </div>
{/if}
{#each staged.rulebooks as b (b.rulebook)}
  {#if b.choices?.length}<ChooseRoot
      archive={staged.archive.digest}
      rulebook={b}
      onstaged={(st) => (staged = st)}
    />{/if}
{/each}
