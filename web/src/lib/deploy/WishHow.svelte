<!-- How the server is treated by a deployment, and values that are changed along with it. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Server } from '../api/client';
  import { rulebook } from '../api/queries';
  import Labelled from '../ui/Labelled.svelte';
  import Radios from '../ui/Radios.svelte';
  import Tick from '../ui/Tick.svelte';
  import type { Wish } from './wish';

  let { wish = $bindable(), server }: { wish: Wish; server: Server } = $props();
  const book = createQuery(() => rulebook(server.rulebook));
  let asked = $derived(book.data?.variables ?? []);
</script>

<div class="mt-3 space-y-3">
  <Radios
    label="If it does not load"
    bind:value={wish.undo}
    options={[
      ['no', 'leave it for me to decide'],
      ['all', 'take all of it back'],
      ['each', 'take back what did not load']
    ]}
  />
  <Radios
    label="Folders that the server writes"
    bind:value={wish.data}
    options={[
      ['rulebook', 'copy those that an add-on may change'],
      ['all', 'copy all of them'],
      ['none', 'copy none']
    ]}
  />
  <div class="flex flex-wrap gap-x-6 gap-y-1.5">
    <Tick bind:checked={wish.needs}>take along what is needed</Tick>
    <Tick bind:checked={wish.leave} onchange={(on) => on && (wish.restart = false)}
      >leave the server running</Tick
    >
    <Tick bind:checked={wish.restart} onchange={(on) => on && (wish.leave = false)}
      >restart where a reload would do</Tick
    >
    <Tick bind:checked={wish.thorough}>read every byte back</Tick>
  </div>
  {#if asked.length}
    <div class="flex flex-wrap gap-3">
      {#each asked as v (v.name)}
        <Labelled label={v.name} help={v.ask}>
          <input
            class="input mono"
            placeholder="{server.variables?.[v.name] ?? v.default ?? ''} (as it is)"
            bind:value={() => wish.values[v.name] ?? '', (value) => (wish.values[v.name] = value)}
          />
        </Labelled>
      {/each}
    </div>
  {/if}
</div>
