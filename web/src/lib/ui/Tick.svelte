<!-- A checkbox with its words. -->
<script lang="ts">
  import { Checkbox, useId } from 'bits-ui';
  import Check from '@lucide/svelte/icons/check';
  import type { Snippet } from 'svelte';

  interface Props {
    checked: boolean;
    onchange?: (checked: boolean) => void;
    label?: string;
    children?: Snippet;
  }
  let { checked = $bindable(), onchange, label, children }: Props = $props();
  const id = useId();
</script>

<span class="inline-flex items-center gap-2">
  <Checkbox.Root
    {id}
    bind:checked
    onCheckedChange={onchange}
    aria-label={label}
    class="group -m-[3px] flex h-6 w-6 shrink-0 items-center justify-center"
  >
    {#snippet children({ checked })}
      <span
        class="flex h-[18px] w-[18px] items-center justify-center border-[1.5px] border-ink bg-sheet group-data-[state=checked]:bg-ink"
        >{#if checked}<Check size={13} strokeWidth={3} class="text-sheet" />{/if}</span
      >
    {/snippet}
  </Checkbox.Root>
  {#if children}<label for={id} class="cursor-pointer">{@render children()}</label>{/if}
</span>
