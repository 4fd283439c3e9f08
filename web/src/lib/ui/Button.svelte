<!-- A button or, with href, a link that looks like one. One per page is main. -->
<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    kind?: 'main' | 'plain' | 'quiet';
    href?: string;
    type?: 'button' | 'submit';
    disabled?: boolean;
    title?: string;
    onclick?: (e: MouseEvent) => void;
    children: Snippet;
  }
  let { kind = 'plain', href, type = 'button', disabled = false, title, onclick, children }: Props = $props();
</script>

{#if href}
  <a class="button {kind}" {href} {title}>{@render children()}</a>
{:else}
  <button class="button {kind}" {type} {disabled} {title} {onclick}>{@render children()}</button>
{/if}
