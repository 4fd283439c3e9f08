<!-- An error: what happened and what to do. -->
<script lang="ts">
  import { problemOf } from '../api/client';
  import FindingRow from './FindingRow.svelte';

  let { error }: { error: unknown } = $props();
  let problem = $derived(problemOf(error));
</script>

<div class="box my-3" role="alert" data-problem={problem.code}>
  <FindingRow
    finding={{
      level: 'block',
      code: problem.code,
      what: problem.detail,
      mend: problem.mend,
      remedies: problem.remedies
    }}
  />
  {#each problem.findings ?? [] as f (f.code + f.path)}
    <FindingRow finding={f} />
  {/each}
</div>
