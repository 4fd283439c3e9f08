<!-- Staging: drop what was downloaded, see what it is. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { crates, rulebooks } from '../lib/api/queries';
  import Arrivals from '../lib/staging/Arrivals.svelte';
  import ById from '../lib/staging/ById.svelte';
  import CrateRow from '../lib/staging/CrateRow.svelte';
  import Loose from '../lib/staging/Loose.svelte';
  import Dropzone from '../lib/staging/Dropzone.svelte';
  import Feeds from '../lib/staging/Feeds.svelte';
  import { Fetched, type Wanted } from '../lib/staging/fetches.svelte';
  import FetchRow from '../lib/staging/FetchRow.svelte';
  import FromAddress from '../lib/staging/FromAddress.svelte';
  import Pallets from '../lib/staging/Pallets.svelte';
  import type { Pick } from '../lib/staging/pick';
  import UploadRow from '../lib/staging/UploadRow.svelte';
  import { getUploads } from '../lib/staging/uploads.svelte';
  import Announce from '../lib/ui/Announce.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Word from '../lib/help/Word.svelte';
  import Empty from '../lib/ui/Empty.svelte';
  import Filter from '../lib/ui/Filter.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';

  const client = useQueryClient();
  const uploads = getUploads();
  const list = createQuery(() => crates());
  const books = createQuery(rulebooks);
  let book = $state('');
  let codePage = $state('');
  let find = $state('');
  let byId = $state(false);
  let fromAddress = $state(false);
  let fetches = $state.raw<Fetched[]>([]);
  let shown = $derived(
    (list.data ?? []).filter((c) => c.label.toLowerCase().includes(find.trim().toLowerCase()))
  );

  let onTheirWay = $derived(
    (['sending', 'laying out', 'staged', 'refused', 'downloading'] as const)
      .map((s) => [s, [...uploads.list, ...fetches].filter((u) => u.stage === s).length] as const)
      .filter(([, n]) => n)
      .map(([s, n]) => `${n} ${s}`)
      .join(', ')
  );

  function stage(picks: Pick[]) {
    uploads.add(picks, { ...(book && { rulebook: book }), ...(codePage && { codePage }) }, staged);
  }

  function take(wanted: Wanted) {
    const fetched = new Fetched({ ...wanted, rulebook: book || undefined, codePage: codePage || undefined });
    fetches = [fetched, ...fetches];
    void fetched.run().then(staged);
  }

  const codePages = [
    ['IBM850', 'Western Europe, DOS'],
    ['windows-1252', 'Western Europe, Windows'],
    ['windows-1251', 'Cyrillic, Windows'],
    ['IBM866', 'Cyrillic, DOS'],
    ['Shift_JIS', 'Japanese'],
    ['GBK', 'Chinese, simplified'],
    ['Big5', 'Chinese, traditional'],
    ['EUC-KR', 'Korean']
  ];

  const staged = () => void client.invalidateQueries({ queryKey: ['crates'] });
</script>

<Head title="Staging">
  {#if uploads.list.length > uploads.busy}<Button onclick={() => uploads.clear()}>Clear the list</Button>{/if}
  {#if books.data?.length}<Button onclick={() => (byId = true)}>Without a download…</Button>{/if}
  <Button onclick={() => (fromAddress = true)}>From an address…</Button>
</Head>

<FromAddress bind:open={fromAddress} {take} />
<ById bind:open={byId} books={books.data ?? []} />

<Dropzone onpick={stage}>
  <label class="inline-flex items-center gap-2">
    <span class="label">Rulebook</span>
    <select class="input w-auto" bind:value={book}>
      <option value="">every rulebook in use</option>
      {#each books.data ?? [] as b (b.name)}<option value={b.name}>{b.title}</option>{/each}
    </select>
  </label>
  <label
    class="inline-flex items-center gap-2"
    title="How names in an archive are written that are not UTF-8. Stage it again with another one where names came out wrong."
  >
    <span class="label">Old names</span>
    <select class="input w-auto" bind:value={codePage}>
      <option value="">as the format says</option>
      {#each codePages as [name, words] (name)}<option value={name}>{words}</option>{/each}
    </select>
  </label>
</Dropzone>

<Announce words={onTheirWay} />
{#if uploads.list.length}
  <div class="box mt-4" aria-label="On their way" role="group">
    {#each uploads.list as upload (upload)}
      <UploadRow
        {upload}
        again={() => uploads.again(upload, staged)}
        trust={() => uploads.trust(upload, staged)}
      />
    {/each}
  </div>
{/if}

{#if fetches.length}
  <div class="box mt-4" aria-label="Downloaded by the service" role="group">
    {#each fetches as fetched (fetched)}
      <FetchRow
        {fetched}
        again={() => fetched.run().then(staged)}
        trust={() => fetched.trust().then(staged)}
      />
    {/each}
  </div>
{/if}

<Arrivals crates={shown} />

<Feeds />

<Loose />

<Pallets />

<div class="mt-6 mb-2 flex flex-wrap items-center gap-3">
  <h2>Crates <Word is="crate" /></h2>
  {#if list.data?.length}
    <Filter bind:find label="Find a crate" />
  {/if}
</div>
{#if list.error}
  <Trouble error={list.error} />
{:else if list.data?.length === 0}
  <Empty title="Nothing is staged yet" picture="crate">
    <p>
      What you drop above is kept unchanged, and laid out by every rulebook that knows it: you see where each
      file will go, and why, before it goes anywhere.
    </p>
  </Empty>
{:else if list.data}
  <div class="overflow-x-auto">
    <table class="table">
      <thead>
        <tr>
          <th class="label">Crate</th>
          <th class="label">Version</th>
          <th class="label max-sm:hidden">Kind</th>
          <th class="label max-sm:hidden">From</th>
          <th class="label text-right max-sm:hidden">Files</th>
          <th class="label text-right max-sm:hidden">Size</th>
          <th class="label">On</th>
          <th class="label text-right max-sm:hidden">Staged</th>
        </tr>
      </thead>
      <tbody>
        {#each shown as crate (crate.digest)}<CrateRow {crate} />{:else}<tr
            ><td colspan="8" class="text-ink-soft">No crate has “{find}” in its name or version.</td></tr
          >{/each}
      </tbody>
    </table>
  </div>
{/if}
