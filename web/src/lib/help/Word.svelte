<!-- One of our words, which tells what it means where it is asked. -->
<script lang="ts">
  import { Popover } from 'bits-ui';
  import type { Snippet } from 'svelte';
  import { glossary, type Word } from './glossary';

  let { is, children }: { is: Word; children?: Snippet } = $props();
</script>

<Popover.Root>
  <Popover.Trigger class="word" aria-label="What {is} means" data-word={is}
    >{#if children}{@render children()}{:else}?{/if}</Popover.Trigger
  >
  <Popover.Portal>
    <Popover.Content
      class="box z-40 max-w-[min(340px,calc(100vw-24px))] bg-sheet px-4 py-3 text-[14px]"
      sideOffset={6}
    >
      <b class="font-label text-[17px]">{glossary[is].word}</b>
      <p>{glossary[is].means}</p>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
