<!-- Choosing the server that a crate goes to. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { p } from '../../router';
  import type { Crate } from '../api/client';
  import { servers } from '../api/queries';
  import { Drafting } from '../deploy/drafting.svelte';
  import { reachedBy } from '../standing';
  import Button from '../ui/Button.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { open = $bindable(), crate }: { open: boolean; crate: Crate } = $props();
  const list = createQuery(() => ({ ...servers(), enabled: open }));
  const drafting = new Drafting();
  let fits = $derived((list.data ?? []).filter((s) => s.rulebook === crate.rulebook));
  let parts = $derived([...new Set((crate.files ?? []).flatMap((f) => (f.optional ? [f.optional] : [])))]);
  let ticked = $state<Record<string, boolean>>({});

  function draftOn(server: string) {
    const chosen = parts.filter((p) => p in ticked);
    void drafting.start(server, {
      crates: [crate.ref],
      with: chosen.filter((p) => ticked[p]),
      without: chosen.filter((p) => !ticked[p])
    });
  }
  const there = (server: string) => crate.on?.find((o) => o.server === server)?.version;
</script>

<Sheet
  bind:open
  title="Deploy {crate.label}"
  about="The server is looked at and a draft is shown; nothing is touched before you run it."
>
  {#if drafting.error}<Trouble error={drafting.error} />{/if}
  {#if parts.length}
    <div class="mb-3">
      <span class="label mb-1 block">Parts by choice</span>
      {#each parts as part (part)}
        <div class="py-0.5">
          <Tick bind:checked={() => ticked[part] ?? false, (v) => (ticked[part] = v)}>{part}</Tick>
        </div>
      {/each}
      <span class="reason"
        >What you do not touch is as the server has it; a choice is kept for later versions.</span
      >
    </div>
  {/if}
  <div class="box">
    {#each fits as s (s.name)}
      <div class="row flex items-center gap-3 px-3 py-2">
        <b>{s.name}</b>
        <span class="reason min-w-0 flex-1"
          >{there(s.name) ? `has ${there(s.name)}` : 'has none of it'} · {reachedBy(s.transport)}</span
        >
        <Button disabled={drafting.busy} onclick={() => draftOn(s.name)}
          >{drafting.busy ? 'Looking…' : 'Draft it'}</Button
        >
      </div>
    {:else}
      <p class="p-3">
        No server uses the rulebook {crate.rulebook}. <a class="link" href={p('/')}>Add one</a>.
      </p>
    {/each}
  </div>
</Sheet>
