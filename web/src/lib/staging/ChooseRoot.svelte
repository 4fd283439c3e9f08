<!-- Where an archive could be read in several ways: the person points at one. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Staged, type StagedByBook } from '../api/client';
  import { result } from '../api/jobs';
  import { attempting } from '../attempt.svelte';
  import { count } from '../format';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';

  interface Props {
    /** Its digest. */
    archive: string;
    rulebook: Pick<StagedByBook, 'rulebook' | 'choices'>;
    onstaged?: (staged: Staged) => void;
  }
  let { archive, rulebook, onstaged }: Props = $props();
  const client = useQueryClient();
  const choosing = attempting();

  const choose = (root: string) =>
    choosing.run(root, async () => {
      const body = { rulebook: rulebook.rulebook, root };
      const job = await ok(api.POST('/archives/{archive}/again', { params: { path: { archive } }, body }));
      onstaged?.(await result<Staged>(job));
      await client.invalidateQueries({ queryKey: ['crates'] });
    });
</script>

<div class="mt-2 border-t border-dashed border-rule pt-2">
  <b>Which of these is the add-on?</b>
  <span class="reason">Your choice is kept for its next versions.</span>
  {#each rulebook.choices ?? [] as c (c.root)}
    <div class="flex flex-wrap items-center gap-x-3 py-1">
      <Button disabled={choosing.busy !== ''} onclick={() => choose(c.root)}
        >Take <span class="mono">{c.root}</span></Button
      >
      <span class="reason">{count(c.files, 'file')}; {c.why}</span>
    </div>
  {/each}
  {#if choosing.error}<Trouble error={choosing.error} />{/if}
</div>
