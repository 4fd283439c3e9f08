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
    class="grid grid-cols-[minmax(0,1fr)_auto] items-stretch border-ink lg:grid-cols-[auto_minmax(0,1fr)_auto]"
    class:border-b-[1.5px]={children !== undefined}
  >
    <div
      class={[
        'flex max-w-full items-center bg-ink px-4 py-3 font-label leading-none font-bold text-sheet [overflow-wrap:anywhere] lg:max-w-[38vw]',
        !stamp && 'max-lg:col-span-2'
      ]}
      class:text-[34px]={!small}
      class:text-[24px]={small}
    >
      {tape}
    </div>
    <div
      class="order-last col-span-2 grid grid-cols-2 sm:grid-cols-3 lg:order-none lg:col-span-1 lg:flex lg:flex-wrap lg:overflow-hidden"
    >
      {@render fields()}
    </div>
    {#if stamp}<div class="flex items-center px-4 py-3">{@render stamp()}</div>{/if}
  </div>
  {@render children?.()}
</section>
