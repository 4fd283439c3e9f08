<!-- A dialog: a sheet laid over the page. Esc closes it. -->
<script lang="ts">
  import { Dialog } from 'bits-ui';
  import X from '@lucide/svelte/icons/x';
  import type { Snippet } from 'svelte';

  interface Props {
    open: boolean;
    title: string;
    about?: string;
    wide?: boolean;
    children: Snippet;
  }
  let { open = $bindable(), title, about, wide = false, children }: Props = $props();
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-20 bg-black/45" />
    <Dialog.Content
      class="box fixed top-[6vh] left-1/2 z-30 flex max-h-[88vh] w-[calc(100vw-24px)] -translate-x-1/2 flex-col bg-paper {wide
        ? 'max-w-3xl'
        : 'max-w-xl'}"
    >
      <div class="flex items-start bg-ink px-4 py-2.5 text-sheet">
        <Dialog.Title class="font-label text-[21px] leading-tight font-bold">{title}</Dialog.Title>
        <Dialog.Close class="ml-auto p-1" aria-label="Close"><X size={18} /></Dialog.Close>
      </div>
      <div class="overflow-y-auto p-4">
        {#if about}<Dialog.Description class="mb-3 text-ink-soft">{about}</Dialog.Description>{/if}
        {@render children()}
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
