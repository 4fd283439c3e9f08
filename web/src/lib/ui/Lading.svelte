<!-- A sheet with a label: black tape, boxed fields, a stamp, and below it what
     has to be read. Everything that moves is shown as one. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    tape: string;
    /** The tape's text is a name, so it is shown in full and can be copied. */
    fields: Snippet;
    stamp?: Snippet;
    children?: Snippet;
    small?: boolean;
  }
  let { tape, fields, stamp, children, small = false }: Props = $props();
</script>

<section class="box" aria-label={tape}>
  <div class="flex flex-wrap items-stretch border-ink" class:border-b-[1.5px]={children !== undefined}>
    <div
      class="flex max-w-full items-center bg-ink px-4 py-3 font-label leading-none font-bold text-sheet [overflow-wrap:anywhere]"
      class:text-[34px]={!small}
      class:text-[24px]={small}
    >
      {tape}
    </div>
    <div class="grid flex-1 grid-cols-2 sm:flex sm:flex-wrap">
      {@render fields()}
    </div>
    {#if stamp}
      <div class="ml-auto flex items-center px-4 py-3">{@render stamp()}</div>
    {/if}
  </div>
  {@render children?.()}
</section>
