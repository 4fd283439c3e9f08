<!-- The foot of the left column: light or dark, the keys, signing out. -->
<script lang="ts">
  import BookA from '@lucide/svelte/icons/book-a';
  import Keyboard from '@lucide/svelte/icons/keyboard';
  import LogOut from '@lucide/svelte/icons/log-out';
  import Moon from '@lucide/svelte/icons/moon';
  import Search from '@lucide/svelte/icons/search';
  import Sun from '@lucide/svelte/icons/sun';
  import { api, ok } from './api/client';
  import { choose, follow, theme } from './theme';

  interface Props {
    onkeys: () => void;
    onfind: () => void;
    onwords: () => void;
  }
  let { onkeys, onfind, onwords }: Props = $props();
  let shown = $state(theme());
  $effect(() => follow((now) => (shown = now)));

  function turn() {
    shown = shown === 'light' ? 'dark' : 'light';
    choose(shown);
  }

  async function leave() {
    await ok(api.DELETE('/session'));
    location.assign('/sign-in');
  }
</script>

<div class="flex gap-1 p-2 text-ink-soft max-md:absolute max-md:top-0 max-md:right-0 md:mt-auto">
  <button
    type="button"
    class="p-2 hover:text-ink"
    onclick={turn}
    aria-label={shown === 'light' ? 'Dark' : 'Light'}
    title="Light or dark"
  >
    {#if shown === 'light'}<Moon size={16} />{:else}<Sun size={16} />{/if}
  </button>
  <button
    type="button"
    class="p-2 hover:text-ink"
    onclick={onfind}
    aria-label="Go to…"
    title="Go to… (Ctrl K)"><Search size={16} /></button
  >
  <button
    type="button"
    class="p-2 hover:text-ink"
    onclick={onwords}
    aria-label="Words"
    title="What our words mean"><BookA size={16} /></button
  >
  <button
    type="button"
    class="p-2 hover:text-ink max-md:hidden"
    onclick={onkeys}
    aria-label="Keys"
    title="Keys (?)"><Keyboard size={16} /></button
  >
  <button type="button" class="p-2 hover:text-ink" onclick={leave} aria-label="Sign out" title="Sign out"
    ><LogOut size={16} /></button
  >
</div>
