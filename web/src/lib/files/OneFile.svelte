<script module lang="ts">
  /** The deployment after which a path stood as it did after one of its events. */
  function numberBefore(all: LedgerEvent[], at: number): number {
    const name = all[at]?.deployment ?? '';
    return Number(name.slice(name.indexOf('#') + 1)) || 0;
  }
</script>

<!-- One file of a server: what it is now, and what happened to it, each time with what it made of it. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { toServer } from '../../router';
  import type { LedgerEvent } from '../api/client';
  import { compared, history } from '../api/queries';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { count, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Field from '../ui/Field.svelte';
  import Lading from '../ui/Lading.svelte';
  import PathText from '../ui/PathText.svelte';
  import Stamp from '../ui/Stamp.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { contentHref } from './address';
  import Happened from './Happened.svelte';
  import SwapFile from './SwapFile.svelte';

  let { server, path }: { server: string; path: string } = $props();
  const events = createQuery(() => history(server, path));
  const now = createQuery(() => compared(server, path, undefined));
  const drafting = new Drafting();
  let swapping = $state(false);
  let last = $derived<LedgerEvent | undefined>(events.data?.[0]);
  let is = $derived(now.data?.after);
  let gone = $derived(last?.after.being !== 'content');
</script>

<p class="mb-3"><a class="link" href={toServer(server, 'files')}>All files of {server}</a></p>
{#if events.error}<Trouble error={events.error} />{/if}
<DraftingNote {drafting} />
{#if last && events.data}
  <Lading tape={path.slice(path.lastIndexOf('/') + 1)} small>
    {#snippet fields()}
      <Field label="Path"><PathText {path} /></Field>
      <Field label="Of">{last.cratesAfter.join(', ') || (gone ? 'nothing' : 'the server’s own')}</Field>
      <Field label="Size">{gone ? '—' : size(last.after.size ?? 0)}</Field>
      <Field label="Changed">{count(events.data.length, 'time')}</Field>
    {/snippet}
    {#snippet stamp()}<Stamp small word={gone ? 'gone' : 'recorded'} tone={gone ? 'ink' : 'note'} />{/snippet}
    <div class="px-4 py-3">
      {#if gone}
        <p class="text-ink-soft">Nothing stands there now, as far as is recorded.</p>
      {:else if is && !is.kept}
        <p class="text-ink-soft">Its bytes are not kept in the stockroom; the server has them.</p>
      {:else if is?.kind === 'picture'}
        <img
          class="max-h-80 border border-rule"
          src={contentHref(server, path)}
          alt="As it is recorded: {path}"
        />
      {:else if is?.kind === 'text'}
        {#if is.masked}<p class="reason mb-1">{count(is.masked, 'secret value')} not shown</p>{/if}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <pre
          class="mono max-h-80 overflow-auto border border-rule bg-paper p-3"
          tabindex="0"
          aria-label="Its text">{is.text}</pre>
        {#if is.cut}<p class="reason">the first part; download it to read the rest</p>{/if}
      {:else if is?.kind === 'packed'}
        <p class="mb-1">
          A packed file with {count(is.inside?.length ?? 0, 'entry').replace('entrys', 'entries')}:
        </p>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <ul class="mono max-h-60 overflow-auto" tabindex="0" aria-label="What is in it">
          {#each is.inside ?? [] as name (name)}<li>{name}</li>{/each}
        </ul>
      {:else if is}
        <p class="text-ink-soft">It is neither a text nor a picture that can be shown here.</p>
      {/if}
      <div class="mt-3 flex flex-wrap gap-3">
        {#if is?.kept && !gone}<Button href={contentHref(server, path)} download
            >{is.masked ? 'Download it, secrets too' : 'Download it as recorded'}</Button
          >{/if}
        {#if is?.kind === 'text'}<Button href="{toServer(server, 'texts')}?text={encodeURIComponent(path)}"
            >Change it…</Button
          >{/if}
        {#if !gone}<Button disabled={drafting.busy} onclick={() => (swapping = true)}
            >Put a file of yours there…</Button
          >{/if}
        <Button disabled={drafting.busy} onclick={() => drafting.start(server, { rollback: { path } })}
          >{drafting.busy ? 'Looking…' : 'Back one change'}</Button
        >
      </div>
    </div>
  </Lading>
  <SwapFile bind:open={swapping} {server} {path} {drafting} />
  <h2 class="mt-5 mb-2">What happened to it</h2>
  <div class="box">
    {#each events.data as e, i (e.seq)}
      <Happened
        {server}
        {path}
        event={e}
        newest={i === 0}
        onback={() => drafting.start(server, { rollback: { path, to: numberBefore(events.data, i) } })}
        busy={drafting.busy}
      />
    {/each}
  </div>
{/if}
