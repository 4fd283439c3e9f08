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
  import Trouble from '../ui/Trouble.svelte';

  let { open = $bindable(), crate }: { open: boolean; crate: Crate } = $props();
  const list = createQuery(() => ({ ...servers(), enabled: open }));
  const drafting = new Drafting();
  let fits = $derived((list.data ?? []).filter((s) => s.rulebook === crate.rulebook));
  const there = (server: string) => crate.on?.find((o) => o.server === server)?.version;
</script>

<Sheet
  bind:open
  title="Deploy {crate.label}"
  about="The server is looked at and a draft is shown; nothing is touched before you run it."
>
  {#if drafting.error}<Trouble error={drafting.error} />{/if}
  <div class="box">
    {#each fits as s (s.name)}
      <div class="row flex items-center gap-3 px-3 py-2">
        <b>{s.name}</b>
        <span class="reason min-w-0 flex-1"
          >{there(s.name) ? `has ${there(s.name)}` : 'has none of it'} · {reachedBy(s.transport)}</span
        >
        <Button disabled={drafting.busy} onclick={() => drafting.start(s.name, { crates: [crate.ref] })}
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
