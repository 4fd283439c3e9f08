<!-- Finds anything by its name and goes there: pages, servers, add-ons, deployments, crates, files. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Dialog } from 'bits-ui';
  import { navigate } from '../../router';
  import { crates, deployments, foundFiles, statuses } from '../api/queries';
  import { later } from '../later.svelte';
  import { find, places, type Place } from './places';

  let { open = $bindable() }: { open: boolean } = $props();
  let typed = $state('');
  let at = $state(0);
  const on = createQuery(() => ({ ...statuses(), enabled: open }));
  const done = createQuery(() => ({ ...deployments(), enabled: open }));
  const staged = createQuery(() => ({ ...crates(), enabled: open }));
  // Files are many: they are asked for once somebody has stopped typing.
  const stopped = later(() => typed.trim());
  let asked = $derived(stopped.now);
  const paths = createQuery(() => ({ ...foundFiles(asked), enabled: open && asked.length >= 3 }));
  let known = $derived(places(on.data ?? [], done.data?.list ?? [], staged.data ?? []));
  let files = $derived(
    (asked.length >= 3 ? (paths.data ?? []) : []).map((f): Place => ({
      kind: 'file',
      words: f.path,
      more: f.gone ? `was on ${f.server}` : `on ${f.server}`,
      href: `/servers/${f.server}/files?open=${encodeURIComponent(f.path)}`
    }))
  );
  let found = $derived([...find(known, typed), ...files].slice(0, 60));

  $effect(() => {
    if (open) typed = '';
  });
  $effect(() => {
    void typed;
    at = 0;
  });

  function go(place: Place | undefined) {
    if (!place) return;
    open = false;
    const { pathname, searchParams } = new URL(place.href, location.origin);
    const search = Object.fromEntries(searchParams);
    // Asked for again where one is already, it is done again.
    if (search.do) search.asked = String(Date.now());
    void navigate(pathname as '/', { search });
  }

  function key(e: KeyboardEvent) {
    if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      const n = found.length;
      if (n) at = (at + (e.key === 'ArrowDown' ? 1 : n - 1)) % n;
      document.getElementById(`palette-${at}`)?.scrollIntoView({ block: 'nearest' });
    } else if (e.key === 'Enter') go(found[at]);
    else return;
    e.preventDefault();
  }
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-40 bg-black/45" />
    <Dialog.Content
      class="box fixed top-[10vh] left-1/2 z-50 flex max-h-[76vh] w-[calc(100vw-24px)] max-w-2xl -translate-x-1/2 flex-col bg-paper"
    >
      <Dialog.Title class="sr-only">Go to</Dialog.Title>
      <input
        class="input border-0 border-b-[1.5px] text-[16px]"
        role="combobox"
        aria-label="Go to"
        aria-expanded="true"
        aria-controls="palette-found"
        aria-activedescendant={found.length ? `palette-${at}` : undefined}
        placeholder="A server, an add-on, a deployment, a file…"
        autocomplete="off"
        spellcheck="false"
        bind:value={typed}
        onkeydown={key}
      />
      <ul id="palette-found" role="listbox" aria-label="Found" class="overflow-y-auto">
        {#each found as place, i (place.kind + place.href + place.words)}
          <!-- The field above has the keys; what is marked is told by aria-activedescendant. -->
          <!-- svelte-ignore a11y_click_events_have_key_events -->
          <li
            id="palette-{i}"
            role="option"
            aria-selected={i === at}
            class="flex min-h-9 cursor-pointer items-baseline gap-3 px-3 py-1.5"
            class:marked={i === at}
            onclick={() => go(place)}
          >
            <span class="label w-[86px] shrink-0">{place.kind}</span>
            <span class="min-w-0 [overflow-wrap:anywhere]" class:mono={place.kind === 'file'}
              >{place.words}</span
            >
            <span class="reason ml-auto shrink-0 max-sm:hidden">{place.more}</span>
          </li>
        {:else}
          <li class="px-3 py-3 text-ink-soft" role="option" aria-selected="false" aria-disabled="true">
            Nothing is called “{typed}”.
          </li>
        {/each}
      </ul>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>

<style>
  .marked {
    background: var(--sheet);
    box-shadow: inset 3px 0 0 var(--act);
  }
</style>
