<!-- An error: what happened and what to do. -->
<script lang="ts">
  import { problemOf } from '../api/client';
  import { presence } from '../api/presence.svelte';
  import FindingRow from './FindingRow.svelte';

  let { error }: { error: unknown } = $props();
  let problem = $derived(problemOf(error));
</script>

<!-- That the service does not answer at all is said once, on top of the page. -->
{#if problem.code !== 'unreachable' || !presence.since}
  <div class="box my-3" role="alert" data-problem={problem.code}>
    <FindingRow
      word="error"
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
{/if}
