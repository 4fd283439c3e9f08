<!-- One of a few. -->
<script lang="ts" generics="T extends string">
  import { RadioGroup, useId } from 'bits-ui';

  interface Props {
    label: string;
    value: T;
    options: [T, string][];
  }
  let { label, value = $bindable(), options }: Props = $props();
  const id = useId();
</script>

<div>
  <span class="label mb-1 block" {id}>{label}</span>
  <RadioGroup.Root
    bind:value={() => value, (v) => (value = v as T)}
    aria-labelledby={id}
    class="flex flex-wrap gap-x-5 gap-y-1.5"
  >
    {#each options as [key, words] (key)}
      <label class="inline-flex cursor-pointer items-center gap-2">
        <RadioGroup.Item value={key} class="-m-[3px] flex h-6 w-6 items-center justify-center">
          {#snippet children({ checked })}
            <span
              class="flex h-[18px] w-[18px] items-center justify-center rounded-full border-[1.5px] border-ink bg-sheet"
              >{#if checked}<span class="h-2 w-2 rounded-full bg-ink"></span>{/if}</span
            >
          {/snippet}
        </RadioGroup.Item>
        {words}
      </label>
    {/each}
  </RadioGroup.Root>
</div>
