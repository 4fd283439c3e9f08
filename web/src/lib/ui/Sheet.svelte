<!-- A dialog: a sheet laid over the page. Esc, Back and a click beside it close it; once
     something was typed, only when that may be lost. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import X from '@lucide/svelte/icons/x';
  import type { Snippet } from 'svelte';
  import Button from './Button.svelte';
  import { backCloses } from './back';

  interface Props {
    open: boolean;
    title: string;
    about?: string;
    wide?: boolean;
    /** Becomes another thing whenever what was typed has been kept. */
    saved?: unknown;
    children: Snippet;
  }
  let { open = $bindable(), title, about, wide = false, saved, children }: Props = $props();
  let typed = $state(false);
  let asking = $state(false);
  let body = $state<HTMLElement>();
  // A sheet begins at its first field, not at the button that closes it. Where the fields come once
  // something was asked, it begins at the first that comes, unless somebody was quicker.
  const fields = 'input:not([type=hidden]):not([disabled]), select, textarea, [role=checkbox], [role=radio]';
  const first = () => body?.querySelector<HTMLElement>(fields);

  function begin() {
    if (!body) return;
    (first() ?? body.querySelector<HTMLElement>('a, button') ?? body).focus();
    if (first()) return;
    const at = document.activeElement;
    const watch = new MutationObserver(() => {
      const came = first();
      const left = document.activeElement !== at && document.activeElement !== document.body;
      if (came && !left) came.focus();
      if (came || left) watch.disconnect();
    });
    watch.observe(body, { childList: true, subtree: true });
  }

  $effect(() => {
    if (saved) typed = false;
  });

  /** Closes it, or asks where something would be lost. Gives whether it closed. */
  function leave(): boolean {
    if (typed) asking = true;
    else open = false;
    return !typed;
  }

  function lose() {
    typed = asking = false;
    open = false;
  }

  $effect(() => {
    if (!open) return;
    typed = asking = false;
    return backCloses(leave);
  });
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-20 bg-black/45" />
    <Dialog.Content
      interactOutsideBehavior={typed ? 'ignore' : 'close'}
      onEscapeKeydown={(e) => {
        e.preventDefault();
        leave();
      }}
      onOpenAutoFocus={(e) => {
        e.preventDefault();
        begin();
      }}
      oninput={() => (typed = true)}
      class="box fixed top-[6vh] left-1/2 z-30 flex max-h-[88vh] w-[calc(100vw-24px)] -translate-x-1/2 flex-col bg-paper {wide
        ? 'max-w-3xl'
        : 'max-w-xl'}"
    >
      <div class="flex items-start bg-ink px-4 py-2.5 text-sheet">
        <Dialog.Title class="font-label text-[21px] leading-tight font-bold">{title}</Dialog.Title>
        <button type="button" class="ml-auto p-1" aria-label="Close" onclick={leave}><X size={18} /></button>
      </div>
      {#if asking}
        <div
          class="flex flex-wrap items-center gap-3 border-b-[1.5px] border-ink px-4 py-2.5"
          role="alert"
          data-losing
        >
          <span class="min-w-0 flex-1">What you have typed here would be lost.</span>
          <Button onclick={lose}>Close it all the same</Button>
          <Button kind="main" onclick={() => (asking = false)}>Go on here</Button>
        </div>
      {/if}
      <div class="overflow-y-auto p-4 outline-none" bind:this={body} tabindex="-1">
        {#if about}<Dialog.Description class="mb-3 text-ink-soft">{about}</Dialog.Description>{/if}
        {@render children()}
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
