<!-- What the server itself writes, and having it begun anew. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Written } from '../api/client';
  import { written } from '../api/queries';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import PathText from '../ui/PathText.svelte';
  import Radios from '../ui/Radios.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server }: { server: string } = $props();
  const q = createQuery(() => written(server));
  const drafting = new Drafting();
  let open = $state(false);
  let chosen = $state<Written>();
  let way = $state<'aside' | 'other'>('aside');
  let name = $state('');

  function anew(w: Written) {
    [chosen, way, name, open] = [w, 'aside', '', true];
    drafting.error = undefined;
  }

  function draft(e: SubmitEvent) {
    e.preventDefault();
    if (!chosen) return;
    void drafting.start(server, {
      renew: [way === 'aside' ? chosen.place : `${chosen.place}=${name.trim()}`]
    });
  }
</script>

{#if q.error}<Trouble error={q.error} />{/if}
{#if q.data?.length}
  <section class="box mt-4" data-written>
    <div class="flex flex-wrap items-baseline gap-x-3 border-b border-rule px-4 py-2.5">
      <h2>Written by the server itself</h2>
      <span class="reason"
        >The rulebook {q.data.length === 1 ? 'names it' : 'names them'}; deployments leave it alone unless you
        say so.</span
      >
    </div>
    {#each q.data as w (w.place)}
      <div class="row flex flex-wrap items-center gap-x-3.5 gap-y-1 px-4 py-1.5">
        <b class="w-28 max-sm:basis-full">{w.place}</b>
        <span class="min-w-0 flex-1"><PathText path={w.path} /></span>
        <Button onclick={() => anew(w)}>Begin it anew…</Button>
      </div>
    {/each}
  </section>
{/if}

<Sheet
  bind:open
  title="Begin {chosen?.place} anew"
  about="The server makes a new one at its next start. The old one is never deleted, and taking the deployment back brings it back."
>
  {#if chosen}
    <form class="space-y-3.5" onsubmit={draft}>
      {#if chosen.variable}
        <Radios
          label="The old one"
          bind:value={way}
          options={[
            ['aside', 'is set aside, and the new one takes its name'],
            ['other', 'stays, and the new one has another name']
          ]}
        />
      {/if}
      {#if way === 'other'}
        <Labelled label="New {chosen.variable}" help="It is {chosen.value} now.">
          <input class="input" required bind:value={name} />
        </Labelled>
      {:else}
        <p><PathText path={chosen.path} /> gets a name beside it that says when it was set aside.</p>
      {/if}
      <DraftingNote {drafting} />
      <Button kind="main" type="submit" disabled={drafting.busy || (way === 'other' && !name.trim())}
        >{drafting.busy ? 'Looking at the server…' : 'Draft it'}</Button
      >
    </form>
  {/if}
</Sheet>
