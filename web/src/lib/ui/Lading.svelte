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
  <div
    class="grid grid-cols-[minmax(0,1fr)_auto] items-stretch border-ink sm:grid-cols-[auto_minmax(0,1fr)_auto]"
    class:border-b-[1.5px]={children !== undefined}
  >
    <div
      class="flex max-w-full items-center bg-ink px-4 py-3 font-label leading-none font-bold text-sheet [overflow-wrap:anywhere] sm:max-w-[38vw]"
      class:text-[34px]={!small}
      class:text-[24px]={small}
    >
      {tape}
    </div>
    <div
      class="order-last col-span-2 grid grid-cols-2 sm:order-none sm:col-span-1 sm:flex sm:flex-wrap lg:flex-nowrap"
    >
      {@render fields()}
    </div>
    <div class="flex items-center px-4 py-3">{@render stamp?.()}</div>
  </div>
  {@render children?.()}
</section>
