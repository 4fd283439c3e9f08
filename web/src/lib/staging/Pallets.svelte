<!-- Packs whose add-ons came together. A pack's name holds for its later versions too. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import type { components } from '../api/generated/schema';
  import { pallets } from '../api/queries';
  import { clock, count } from '../format';
  import Word from '../help/Word.svelte';
  import Button from '../ui/Button.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';

  type Pallet = components['schemas']['Pallet'];
  const client = useQueryClient();
  const q = createQuery(() => pallets());
  let naming = $state(false);
  let one = $state<Pallet>();
  let name = $state('');

  async function send() {
    const { name: now, rulebook } = one!;
    await ok(
      api.POST('/pallets/{pallet}/name', {
        params: { path: { pallet: now }, query: { rulebook } },
        body: { name: name.trim() }
      })
    );
    await client.invalidateQueries({ queryKey: ['crates'] });
  }
</script>

{#if q.data?.length}
  <h2 class="mt-6 mb-2">Pallets <Word is="pallet" /></h2>
  <div class="box">
    {#each q.data as x (x.rulebook + x.label)}
      <div class="row flex flex-wrap items-center gap-x-3.5 gap-y-1 px-4 py-1.5" data-pallet={x.label}>
        <b class="min-w-0 [overflow-wrap:anywhere]">{x.label}</b>
        <span class="reason min-w-0 flex-1 basis-64 [overflow-wrap:anywhere]"
          >{x.rulebook}, {count(x.crates.length, 'crate')}: {x.crates.slice(0, 4).join(', ')}{x.crates
            .length > 4
            ? '…'
            : ''}</span
        >
        <span class="reason">{clock(x.stagedAt)}</span>
        <Button
          kind="quiet"
          label="Rename {x.label}…"
          onclick={() => ([one, name, naming] = [x, x.name, true])}>Rename…</Button
        >
      </div>
    {/each}
  </div>
{/if}
{#if one}
  <FormSheet
    bind:open={naming}
    title="What is {one.name} called?"
    about="Its later versions are called so too."
    words={['Rename it', 'Renaming…']}
    disabled={!name.trim() || name.trim() === one.name}
    {send}
  >
    <Labelled label="Name"><input class="input" required bind:value={name} /></Labelled>
  </FormSheet>
{/if}
