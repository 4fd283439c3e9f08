<!-- What is around every page: the servers, the yard, the keys. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import type { Snippet } from 'svelte';
  import ServerLink from './lib/server/ServerLink.svelte';
  import Footer from './lib/Footer.svelte';
  import { watchChanges } from './lib/api/changes';
  import { presence } from './lib/api/presence.svelte';
  import { desk, servers } from './lib/api/queries';
  import { pressed } from './lib/keys';
  import { getUploads } from './lib/staging/uploads.svelte';
  import { inSight } from './lib/ui/sideways';
  import { p, route } from './router';

  let { children }: { children: Snippet } = $props();

  const list = createQuery(servers);
  const client = useQueryClient();
  $effect(() => watchChanges(client));
  $effect(() => presence.watch(client));
  const uploads = getUploads();

  // Leaving the page would cut what is on its way.
  $effect(() => {
    if (!uploads.busy) return;
    const ask = (e: BeforeUnloadEvent) => e.preventDefault();
    addEventListener('beforeunload', ask);
    return () => removeEventListener('beforeunload', ask);
  });
  let showKeys = $state(false);

  let finding = $state(false);
  let words = $state(false);
  const now = createQuery(desk);
  let waiting = $derived(now.data?.needs.filter((n) => n.level !== 'note').length ?? 0);

  const yard = [
    { href: p('/'), words: 'Desk', under: [] },
    { href: p('/staging'), words: 'Staging', under: ['/staging', '/crates'] },
    { href: p('/deployments'), words: 'Deployments', under: ['/deployments'] },
    { href: p('/schedules'), words: 'Schedules', under: ['/schedules'] },
    { href: p('/groups'), words: 'Groups', under: ['/groups'] },
    { href: p('/rulebooks'), words: 'Rulebooks', under: ['/rulebooks', '/make-rulebook'] },
    { href: p('/jobs'), words: 'Jobs', under: ['/jobs'] },
    { href: p('/service'), words: 'Service', under: ['/service'] }
  ];
  const here = (under: string[]) =>
    under.length === 0
      ? ['/', '/servers'].includes(route.pathname)
      : under.some((u) => route.pathname === u || route.pathname.startsWith(u + '/'));
</script>

<svelte:document
  onkeydown={(e) => {
    const asked = pressed(e);
    if (asked === 'keys') showKeys = true;
    if (asked === 'find') finding = true;
  }}
/>

<a href="#main" class="skip">To the page</a>
<div
  class="grid min-h-screen grid-cols-[minmax(0,1fr)] grid-rows-[auto_1fr] md:grid-cols-[208px_minmax(0,1fr)] md:grid-rows-1"
>
  <div class="flex flex-col border-rule max-md:border-b md:sticky md:top-0 md:h-screen md:border-r">
    <a
      href={p('/')}
      class="flex items-center gap-2 px-4 py-2.5 font-label text-[22px] leading-none font-bold"
    >
      <span class="border-[1.5px] border-ink px-1 py-1">RC</span> Restless Crate
    </a>
    <nav aria-label="Yard" class="flex overflow-x-auto md:block md:shrink-0">
      {#each yard as y (y.href)}
        <a
          href={y.href}
          class="place"
          aria-current={here(y.under) ? 'page' : undefined}
          {@attach inSight(here(y.under))}
        >
          {y.words}
          {#if y.words === 'Desk' && waiting}<span
              class="label max-md:ml-1 md:ml-auto"
              title="what waits for you">{waiting}</span
            >
          {:else if y.words === 'Staging' && uploads.busy}<span class="label ml-auto"
              >{uploads.busy} sending</span
            >{/if}
        </a>
      {/each}
    </nav>
    <nav aria-label="Servers" class="min-h-0 overflow-y-auto max-md:hidden md:mt-3">
      <div class="label px-4 py-1">Servers</div>
      {#each list.data ?? [] as server (server.name)}
        <ServerLink name={server.name} />
      {/each}
    </nav>
    <Footer onkeys={() => (showKeys = true)} onfind={() => (finding = true)} onwords={() => (words = true)} />
  </div>
  <main id="main" class="min-w-0 px-3 py-4 sm:px-[22px]" tabindex="-1">
    {#if presence.since}
      <div class="box mb-3.5 flex flex-wrap items-baseline gap-3 px-4 py-2.5" role="alert" data-gone>
        <span class="level block-ink px-3">no answer</span>
        <span class="min-w-0 flex-1"
          >The service has not answered since {presence.since.toTimeString().slice(0, 8)}. What is shown is as
          it was then; this page goes on by itself once it answers again.</span
        >
      </div>
    {/if}
    <div class="max-w-[1320px]" class:opacity-60={presence.since !== undefined}>{@render children()}</div>
  </main>
</div>

<!-- What is asked for now and then is loaded then. -->
{#if finding}
  {#await import('./lib/palette/Palette.svelte') then { default: Palette }}<Palette
      bind:open={finding}
    />{/await}
{/if}
{#if words}
  {#await import('./lib/help/Glossary.svelte') then { default: Glossary }}<Glossary
      bind:open={words}
    />{/await}
{/if}
{#if showKeys}
  {#await import('./lib/help/Keys.svelte') then { default: Keys }}<Keys bind:open={showKeys} />{/await}
{/if}

<style>
  .skip {
    position: absolute;
    left: -999px;
  }
  .skip:focus {
    left: 8px;
    top: 8px;
    z-index: 40;
    background: var(--sheet);
    padding: 8px;
  }
  .place {
    display: flex;
    align-items: center;
    min-height: 32px;
    padding: 0 13px;
    border-left: 3px solid transparent;
    font-size: 14.5px;
  }
  .place:hover {
    background: var(--rule-faint);
  }
  .place[aria-current] {
    border-color: var(--act);
    background: var(--sheet);
    font-weight: 600;
  }
  @media (max-width: 767px) {
    .place {
      padding: 0 6px;
      font-size: 14px;
      white-space: nowrap;
      border-left: 0;
      border-bottom: 3px solid transparent;
    }
  }
</style>
