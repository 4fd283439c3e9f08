<!-- One finding: its level as a word, what it says, where, and what would mend it. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { Finding } from '../api/client';
  import PathText from './PathText.svelte';
  import Remedies from './Remedies.svelte';

  interface Props {
    finding: Finding;
    /** What stands in the place of its level: an error is not a finding. */
    word?: string;
    children?: Snippet;
  }
  let { finding, word, children }: Props = $props();
</script>

<div
  class="grid grid-cols-[74px_1fr] items-start gap-x-3.5 gap-y-1 border-t border-rule px-4 py-2 first:border-t-0 sm:grid-cols-[74px_1fr_auto]"
  data-finding={finding.code}
>
  <span class="level {finding.level}-ink">{word ?? finding.level}</span>
  <div class="min-w-0">
    {finding.what}
    {#if finding.path && !finding.what.includes(finding.path)}<PathText path={finding.path} />{/if}
    {#if finding.mend}<div class="reason">{finding.mend}</div>{/if}
    <Remedies remedies={finding.remedies} />
  </div>
  {#if children}<div class="col-start-2 sm:col-start-3">{@render children()}</div>{/if}
</div>
