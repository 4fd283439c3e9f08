<!-- What can be done with a row: the first as a button, the others beside it; where it is narrow, in a
     menu. -->
<script module lang="ts">
  export interface RowAction {
    words: string;
    does: () => void;
    title?: string;
    disabled?: boolean;
  }
</script>

<script lang="ts">
  import { DropdownMenu } from 'bits-ui';
  import Button from './Button.svelte';

  interface Props {
    actions: RowAction[];
    /** What they are done to. */
    of: string;
  }
  let { actions, of }: Props = $props();
  let [first, ...rest] = $derived(actions);
</script>

<span class="inline-flex flex-wrap items-center justify-end gap-x-1">
  {#if first}<Button
      kind="quiet"
      disabled={first.disabled}
      title={first.title}
      label="{first.words}: {of}"
      onclick={first.does}>{first.words}</Button
    >{/if}
  {#each rest as a (a.words)}
    <span class="max-lg:hidden"
      ><Button kind="quiet" disabled={a.disabled} title={a.title} label="{a.words}: {of}" onclick={a.does}
        >{a.words}</Button
      ></span
    >
  {/each}
  {#if rest.length}
    <DropdownMenu.Root>
      <DropdownMenu.Trigger class="button quiet lg:hidden" aria-label="More for {of}"
        >More…</DropdownMenu.Trigger
      >
      <DropdownMenu.Portal>
        <DropdownMenu.Content class="box z-30 bg-sheet py-1" align="end" sideOffset={4}>
          {#each rest as a (a.words)}
            <DropdownMenu.Item
              class="flex min-h-9 cursor-pointer items-center px-4 data-[disabled]:opacity-50 data-[highlighted]:bg-rule-faint"
              disabled={a.disabled}
              onSelect={a.does}>{a.words}</DropdownMenu.Item
            >
          {/each}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  {/if}
</span>
