<!-- A button or, with href, a link that looks like one. One per page is main. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    kind?: 'main' | 'plain' | 'quiet';
    href?: string;
    type?: 'button' | 'submit';
    disabled?: boolean;
    title?: string;
    /** Its name where its words alone do not say what it is done to. */
    label?: string;
    /** A link to something that is kept, not shown. */
    download?: boolean;
    /** Whether what it opens is open. */
    expanded?: boolean;
    onclick?: (e: MouseEvent) => void;
    children: Snippet;
  }
  let {
    kind = 'plain',
    href,
    type = 'button',
    disabled = false,
    title,
    label,
    download,
    expanded,
    onclick,
    children
  }: Props = $props();
</script>

{#if href}
  <a class="button {kind}" {href} {title} aria-label={label} download={download ? '' : undefined}
    >{@render children()}</a
  >
{:else}
  <button
    class="button {kind}"
    {type}
    {disabled}
    {title}
    {onclick}
    aria-label={label}
    aria-expanded={expanded}>{@render children()}</button
  >
{/if}
