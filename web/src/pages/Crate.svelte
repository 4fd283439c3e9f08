<!-- A crate: where does each file go, and why? -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Crate as CrateOf } from '../lib/api/client';
  import { result } from '../lib/api/jobs';
  import { crate, readme, rulebook } from '../lib/api/queries';
  import { clock, size } from '../lib/format';
  import CrateBeside from '../lib/staging/CrateBeside.svelte';
  import CrateName from '../lib/staging/CrateName.svelte';
  import Facts from '../lib/staging/Facts.svelte';
  import CrateMap from '../lib/staging/CrateMap.svelte';
  import LintCrate from '../lib/staging/LintCrate.svelte';
  import CrateTo from '../lib/staging/CrateTo.svelte';
  import Word from '../lib/help/Word.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Confirm from '../lib/ui/Confirm.svelte';
  import Field from '../lib/ui/Field.svelte';
  import FindingRow from '../lib/ui/FindingRow.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Lading from '../lib/ui/Lading.svelte';
  import Sheet from '../lib/ui/Sheet.svelte';
  import Stamp from '../lib/ui/Stamp.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { navigate, route } from '../router';

  let digest = $derived(route.params.digest ?? '');
  const client = useQueryClient();
  const q = createQuery(() => crate(digest));
  const notes = createQuery(() => readme(digest));
  const book = createQuery(() => ({ ...rulebook(q.data?.rulebook ?? ''), enabled: q.data !== undefined }));
  let reading = $state(false);
  let going = $state(false);
  let dropping = $state(false);
  let naming = $state(false);
  let comparing = $state(false);
  let choosing = $state(false);
  let linting = $state(false);

  /** Has the archive ask again which folder in it is the add-on. */
  async function chooseAgain(c: CrateOf) {
    const archive = c.archives[0]!.digest;
    const body = { rulebook: c.rulebook, forget: true };
    await result(await ok(api.POST('/archives/{archive}/again', { params: { path: { archive } }, body })));
    await client.invalidateQueries({ queryKey: ['crates'] });
    await navigate('/staging');
  }

  async function drop() {
    await ok(api.DELETE('/crates/{crate}', { params: { path: { crate: digest } } }));
    await client.invalidateQueries({ queryKey: ['crates'] });
    await navigate('/staging');
  }
</script>

{#if q.data}
  {@const c = q.data}
  <Head title={c.name}>
    {#snippet beside()}<Word is="crate" /><span class="min-w-0 text-ink-soft [overflow-wrap:anywhere]"
        >{c.why}</span
      >{/snippet}
    {#if notes.data?.length}<Button onclick={() => (reading = true)}
        >Author’s notes {notes.data.length}</Button
      >{/if}
    <Button onclick={() => (dropping = true)}>Drop…</Button>
    {#if c.rootChosen}<Button onclick={() => (choosing = true)}>Choose another root…</Button>{/if}
    <Button onclick={() => (naming = true)}>Rename…</Button>
    <Button onclick={() => (comparing = true)}>Compare…</Button>
    <Button onclick={() => (linting = true)}>Look for mistakes…</Button>
    <Button kind="main" onclick={() => (going = true)}>Deploy to…</Button>
  </Head>
  <Lading tape={c.label}>
    {#snippet fields()}
      <Field label="Kind" figure={c.kind}>of {c.rulebook}</Field>
      <Field label="From"
        >{#each c.archives as a (a.digest)}<span class="mono [overflow-wrap:anywhere]">{a.filename}</span>
        {:else}no download{/each}</Field
      >
      {#if c.overlay}<Field label="Changes" figure={c.base ?? '?'}>another add-on’s files</Field>{/if}
      <Field label="Files" figure={c.fileCount}
        >placed{c.leftCount ? `, ${c.leftCount} left out` : ''}, {size(c.size)}</Field
      >
      <Field label="On"
        >{#each c.on ?? [] as o, i (o.server)}{i ? ', ' : ''}{o.server} has {o.version}{:else}no server{/each}</Field
      >
      <Field label="Staged"><span class="whitespace-nowrap">{clock(c.stagedAt)}</span></Field>
    {/snippet}
    {#snippet stamp()}<Stamp word="staged" tone="note" />{/snippet}
    {#if c.findings.length || c.facts?.length || c.corrected?.length || c.says?.length}
      <div>
        {#each c.findings as f (f.code + f.path + f.what)}<FindingRow finding={f} />{/each}
        <Facts crate={c} />
      </div>
    {/if}
  </Lading>
  <CrateMap crate={c} places={book.data?.places ?? []} />

  <CrateTo bind:open={going} crate={c} />
  <CrateName bind:open={naming} crate={c} />
  <LintCrate bind:open={linting} {digest} />
  <CrateBeside bind:open={comparing} crate={c} />
  <Sheet bind:open={reading} title="Author’s notes" wide>
    {#each notes.data ?? [] as n (n.path)}
      <h2 class="mb-1">{n.path}</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <pre
        class="mono box mb-4 overflow-x-auto p-3 whitespace-pre-wrap"
        tabindex="0"
        role="region"
        aria-label={n.path}>{n.text}</pre>
    {/each}
  </Sheet>
  <Confirm
    bind:open={dropping}
    title="Drop {c.label}?"
    about="It leaves the list. {c.archives.length === 1
      ? 'Its archive stays'
      : 'Its archives stay'} in the stockroom, and what is deployed of it stays where it is."
    word="Drop it"
    destroys
    does={drop}
  />
  <Confirm
    bind:open={choosing}
    title="Choose the root of {c.archives[0]?.filename} again?"
    about="{c.root} was chosen as the add-on. The archive is laid out again and asks anew, on the staging page. {c.label} leaves the list, unless a server has it; what is deployed stays where it is."
    word="Ask again"
    does={() => chooseAgain(c)}
  />
{:else if q.error}
  <Head title="Crate" />
  <Trouble error={q.error} />
{/if}
