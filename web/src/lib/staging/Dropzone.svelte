<!-- Where archives and folders are dropped, or chosen by hand. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import Button from '../ui/Button.svelte';
  import { chosenFolders, dropped, type Pick } from './pick';

  interface Props {
    onpick: (picks: Pick[]) => void;
    children: Snippet;
    /** Whether choosing is the page's main action. */
    main?: boolean;
    about?: string;
  }
  let {
    onpick,
    children,
    main = true,
    about = 'They are kept unchanged; you see where each file will go before anything is deployed.'
  }: Props = $props();
  let over = $state(false);
  let files = $state<HTMLInputElement>();
  let folder = $state<HTMLInputElement>();

  async function drop(e: DragEvent) {
    e.preventDefault();
    over = false;
    if (e.dataTransfer) onpick(await dropped(e.dataTransfer));
  }

  function chose(input: HTMLInputElement, picks: Pick[]) {
    if (picks.length) onpick(picks);
    input.value = ''; // so that the same file can be chosen again
  }
</script>

<div
  class="flex flex-wrap items-center gap-x-4 gap-y-3 border-[1.5px] border-dashed px-5 py-6 {over
    ? 'border-act bg-sheet'
    : 'border-ink-soft'}"
  role="group"
  aria-label="Drop archives here"
  ondragover={(e) => {
    e.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={drop}
>
  <div class="w-full">
    <h2>Drop archives or folders here</h2>
    <div class="reason">{about}</div>
  </div>
  {@render children()}
  <Button kind={main ? 'main' : 'plain'} onclick={() => files?.click()}>Choose archives…</Button>
  <Button onclick={() => folder?.click()}>Choose a folder…</Button>
  <input
    bind:this={files}
    type="file"
    multiple
    hidden
    data-files
    onchange={(e) =>
      chose(
        e.currentTarget,
        [...(e.currentTarget.files ?? [])].map((f) => ({ filename: f.name, body: f }))
      )}
  />
  <input
    bind:this={folder}
    type="file"
    webkitdirectory
    hidden
    data-folder
    onchange={(e) => chose(e.currentTarget, chosenFolders(e.currentTarget.files ?? []))}
  />
</div>
