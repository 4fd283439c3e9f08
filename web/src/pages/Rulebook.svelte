<!-- One rulebook: what it says, in words and in its own text. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok } from '../lib/api/client';
  import { result } from '../lib/api/jobs';
  import { attempting } from '../lib/attempt.svelte';
  import { rulebook } from '../lib/api/queries';
  import { clock, count } from '../lib/format';
  import Word from '../lib/help/Word.svelte';
  import Edit from '../lib/rulebook/Edit.svelte';
  import Turns from '../lib/rulebook/Turns.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Confirm from '../lib/ui/Confirm.svelte';
  import Field from '../lib/ui/Field.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Lading from '../lib/ui/Lading.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { navigate, route } from '../router';

  let name = $derived(route.params.name ?? '');
  const q = createQuery(() => rulebook(name));
  let at = $derived(String(route.search.at ?? 'read'));
  const show = (where: 'read' | 'edit' | 'turns') =>
    void navigate('/rulebooks/:name', { params: { name }, search: where === 'read' ? {} : { at: where } });
  const client = useQueryClient();
  const attempt = attempting();

  let dropping = $state(false);
  async function drop() {
    await ok(api.DELETE('/rulebooks/{name}', { params: { path: { name } } }));
    await client.invalidateQueries({ queryKey: ['rulebooks'] });
    await navigate('/rulebooks');
  }

  const again = () =>
    attempt.run('again', async () => {
      await result(await ok(api.POST('/rulebooks/{name}/again', { params: { path: { name } } })));
      await client.invalidateQueries({ queryKey: ['rulebook', name] });
      await client.invalidateQueries({ queryKey: ['crates'] });
    });
</script>

{#if q.data}
  {@const b = q.data}
  <Head title={b.title}>
    {#snippet beside()}<Word is="rulebook" />{/snippet}
    {#if at !== 'read'}<Button onclick={() => show('read')}>Read it</Button>{/if}
    {#if at !== 'turns' && b.revision > 1}<Button onclick={() => show('turns')}>Compare revisions…</Button
      >{/if}
    {#if at !== 'edit'}<Button onclick={() => show('edit')}>Edit…</Button>{/if}
    {#if at === 'read'}<Button onclick={() => (dropping = true)}>Take out of use…</Button>{/if}
    {#if b.outdated}
      <Button
        kind="main"
        disabled={attempt.busy !== ''}
        title="They were laid out by earlier revisions only"
        onclick={again}
        >{attempt.busy ? 'Laying out…' : `Lay out ${count(b.outdated, 'archive')} again`}</Button
      >
    {/if}
  </Head>
  <Confirm
    bind:open={dropping}
    title="Take {b.title} out of use?"
    about="No download is laid out by it any more. What it laid out stays, and so does what is deployed; a rulebook that a server has cannot be taken out of use."
    word="Take it out of use"
    does={drop}
  />
  {#if attempt.error}<Trouble error={attempt.error} />{/if}
  {#if at === 'edit'}
    {#key b.name}<Edit book={b} />{/key}
  {:else if at === 'turns'}
    <Turns book={b} />
  {:else}
    <Lading tape={b.name} small>
      {#snippet fields()}
        <Field label="Revision" figure={b.revision} />
        <Field label="Added"><span class="whitespace-nowrap">{clock(b.createdAt)}</span> by {b.actor}</Field>
        {#each b.variables ?? [] as v (v.name)}<Field label="Asks for {v.name}"
            >{v.ask}{v.default ? `; ${v.default} where nothing is said` : ''}</Field
          >{/each}
      {/snippet}
      <table class="table table-fixed">
        <thead
          ><tr
            ><th class="label">Kind</th><th class="label">Recognised by</th><th class="label max-sm:hidden"
              >About</th
            ></tr
          ></thead
        >
        <tbody>
          {#each b.kinds ?? [] as k (k.name)}<tr
              ><td class="font-semibold">{k.name}</td><td>{k.recognised}</td><td class="reason max-sm:hidden"
                >{k.about}</td
              ></tr
            >{/each}
        </tbody>
      </table>
      <table class="table table-fixed">
        <thead
          ><tr
            ><th class="label">Place</th><th class="label">Path</th><th class="label max-sm:hidden">About</th
            ></tr
          ></thead
        >
        <tbody>
          {#each b.places ?? [] as p (p.name)}<tr
              ><td class="font-semibold">{p.name}</td><td class="mono">{p.path}</td><td
                class="reason max-sm:hidden">{p.about}</td
              ></tr
            >{/each}
        </tbody>
      </table>
    </Lading>
    <h2 class="mt-5 mb-2">Its text</h2>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <pre
      class="mono box overflow-x-auto p-3"
      tabindex="0"
      role="region"
      aria-label="The rulebook as it is written">{b.text}</pre>
  {/if}
{:else if q.error}
  <Head title={name} />
  <Trouble error={q.error} />
{/if}
