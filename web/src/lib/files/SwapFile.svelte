<!-- A file of one's own in the place of one on the server, such as a picture, or beside it under another
     name; a draft, which updates keep. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import { texts } from '../api/queries';
  import type { Drafting } from '../deploy/drafting.svelte';
  import { size } from '../format';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Tick from '../ui/Tick.svelte';

  interface Props {
    open: boolean;
    server: string;
    path: string;
    drafting: Drafting;
  }
  let { open = $bindable(), server, path, drafting }: Props = $props();
  const all = createQuery(() => ({ ...texts(server, true), enabled: open }));
  let files = $state<FileList>();
  let mine = $derived(files?.[0]);
  let beside = $state(false);
  let as = $state('');
  let into = $state('');
  let note = $state('');

  async function send() {
    const file = mine!;
    const kept = await ok(
      api.POST('/assets', {
        body: file as unknown as string, // it is sent as it is
        bodySerializer: (b: unknown) => b as Blob,
        headers: { 'Content-Type': 'application/octet-stream' }
      })
    );
    const swap = {
      path,
      digest: kept.digest,
      size: kept.size,
      name: file.name,
      as: beside ? as.trim() : undefined,
      in: beside && into ? into : undefined,
      note: note.trim() || undefined
    };
    return () => drafting.start(server, { swaps: [swap] });
  }
</script>

<FormSheet
  bind:open
  title="A file of yours"
  about="It takes the place of {path}. The next versions of the add-on keep it, and the way back puts the other one there again. You see the draft before anything is done."
  words={['Draft it', 'Sending it…']}
  disabled={!mine || (beside && !as.trim())}
  {send}
>
  <Labelled label="Your file" help={mine ? size(mine.size) : undefined}>
    <input class="input" type="file" required bind:files />
  </Labelled>
  <Tick bind:checked={beside}>Leave the other one, and put mine beside it under another name</Tick>
  {#if beside}
    <Labelled label="Its name there"><input class="input mono" required bind:value={as} /></Labelled>
    <Labelled
      label="Write the new name for the old one in"
      help="The text that names the file, where one does."
    >
      <select class="input" bind:value={into}>
        <option value="">no text</option>
        {#each all.data ?? [] as t (t.path)}<option value={t.path}>{t.path}</option>{/each}
      </select>
    </Labelled>
  {/if}
  <Labelled label="Why (a note of yours)"><input class="input" bind:value={note} /></Labelled>
</FormSheet>
