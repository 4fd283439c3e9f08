<!-- Archives of which no crate is in the list: why, and what can be done with each. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Loose } from '../api/client';
  import { result } from '../api/jobs';
  import { attempting } from '../attempt.svelte';
  import { loose } from '../api/queries';
  import { clock, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import ChooseRoot from './ChooseRoot.svelte';
  import { getUploads } from './uploads.svelte';

  const client = useQueryClient();
  const uploads = getUploads();
  const list = createQuery(loose);
  const laying = attempting();
  let tried = $state(''); // the archive that was laid out last

  // A question that an upload of today asks above is not asked twice.
  const asked = (digest: string) =>
    uploads.list.some(
      (u) => u.staged?.archive.digest === digest && u.staged.rulebooks.some((b) => b.choices?.length)
    );
  let shown = $derived((list.data ?? []).filter((x) => !asked(x.archive.digest)));

  function why(x: Loose): string {
    const left = x.rulebooks.filter((b) => b.crates).map((b) => b.rulebook);
    if (!x.rulebooks.length) return 'no rulebook in use has looked at it, as it is now';
    if (left.length) return `what ${left.join(', ')} made of it has left the list`;
    if (x.rulebooks.some((b) => b.choices?.length)) return '';
    return `not known to ${x.rulebooks.map((b) => b.rulebook).join(', ')}`;
  }

  function again(x: Loose) {
    tried = x.archive.digest;
    void laying.run(tried, async () => {
      const path = { archive: x.archive.digest };
      await result(await ok(api.POST('/archives/{archive}/again', { params: { path }, body: {} })));
      await client.invalidateQueries({ queryKey: ['crates'] });
    });
  }
</script>

{#if shown.length}
  <h2 class="mt-6 mb-2">Archives without a crate</h2>
  <div class="box">
    {#each shown as x (x.archive.digest)}
      <div class="row px-4 py-2" data-loose={x.archive.filename}>
        <div class="flex flex-wrap items-center gap-x-3 gap-y-1">
          <span class="mono [overflow-wrap:anywhere]">{x.archive.filename}</span>
          <span class="reason">{size(x.archive.size)}, {clock(x.archive.stagedAt)}</span>
          <span class="reason">{why(x)}</span>
          <span class="ml-auto">
            <Button
              kind="quiet"
              title="Lay {x.archive.filename} out again"
              disabled={laying.busy !== ''}
              onclick={() => again(x)}>Lay out again</Button
            >
          </span>
        </div>
        {#each x.rulebooks as b (b.rulebook)}
          {#if b.choices?.length}<ChooseRoot archive={x.archive.digest} rulebook={b} />{/if}
        {/each}
        {#if laying.error && tried === x.archive.digest}<Trouble error={laying.error} />{/if}
      </div>
    {/each}
  </div>
{/if}
