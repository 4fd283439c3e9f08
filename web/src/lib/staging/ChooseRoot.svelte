<!-- Where an archive could be read in several ways: the person points at one. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import type { StagedByBook } from '../api/client';
  import { count } from '../format';
  import PathText from '../ui/PathText.svelte';
  import Button from '../ui/Button.svelte';
  import { getUploads, type Upload } from './uploads.svelte';

  let { upload, rulebook }: { upload: Upload; rulebook: StagedByBook } = $props();
  const uploads = getUploads();
  const client = useQueryClient();

  function choose(root: string) {
    uploads.add(
      [upload.pick],
      { rulebook: rulebook.rulebook, root },
      () => void client.invalidateQueries({ queryKey: ['crates'] })
    );
    uploads.forget(upload);
  }
</script>

<div class="mt-2 border-t border-dashed border-rule pt-2">
  <b>Which of these is the add-on?</b>
  <span class="reason">Your choice is kept for its next versions.</span>
  {#each rulebook.choices ?? [] as c (c.root)}
    <div class="flex flex-wrap items-center gap-x-3 py-1">
      <Button onclick={() => choose(c.root)}>This one</Button>
      <PathText path={c.root} />
      <span class="reason">{count(c.files, 'file')}; {c.why}</span>
    </div>
  {/each}
</div>
