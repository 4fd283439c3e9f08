<!-- The settings texts of a server; one of them where the address names it. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { route, toServer } from '../../router';
  import { api, ok } from '../api/client';
  import type { components } from '../api/generated/schema';
  import { attempting } from '../attempt.svelte';
  import { rulebook, status, texts, tweaks } from '../api/queries';
  import { clock, count, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Empty from '../ui/Empty.svelte';
  import Filter from '../ui/Filter.svelte';
  import PathText from '../ui/PathText.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import FindIn from './FindIn.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import MakeText from './MakeText.svelte';
  import OneText from './OneText.svelte';
  import Rewrite from './Rewrite.svelte';
  import TextFindings from './TextFindings.svelte';
  import TweakRow from './TweakRow.svelte';

  let { server }: { server: string } = $props();

  let path = $derived(String(route.search.text ?? ''));
  let all = $state(false);
  const q = createQuery(() => ({ ...texts(server, all), enabled: path === '' }));
  const held = createQuery(() => ({ ...tweaks(server), enabled: path === '' }));
  let find = $state('');
  let searching = $state(false);
  let wanted = $derived(find.trim().toLowerCase());
  let shown = $derived((q.data ?? []).filter((t) => !wanted || t.path.toLowerCase().includes(wanted)));
  let findings = $derived((q.data ?? []).flatMap((t) => t.findings));
  const on = createQuery(() => ({ ...status(server), enabled: path === '' }));
  let rulebookOf = $derived(on.data?.server.rulebook ?? '');
  const book = createQuery(() => ({ ...rulebook(rulebookOf), enabled: rulebookOf !== '' }));
  let templates = $derived(book.data?.templates ?? []);
  const drafting = new Drafting();
  let making = $state(false);
  let rewriting = $state(false);
  const looking = attempting();
  let looked = $state<components['schemas']['Linted']>();
  const lookOver = () =>
    void looking.run('look', async () => {
      looked = await ok(api.GET('/servers/{server}/lint', { params: { path: { server } } }));
    });
  const to = (p: string) => `${toServer(server, 'texts')}?text=${encodeURIComponent(p)}`;
</script>

{#if path}
  {#key path}<OneText {server} {path} />{/key}
{:else}
  {#if q.error}<Trouble error={q.error} />{/if}
  {#if q.isPending}<p class="text-ink-soft" role="status">Reading the texts of {server}…</p>{/if}
  {#if q.data}
    {#if q.data.length === 0 && !all}
      <Empty title="Nothing calls a text of this server settings" picture="book">
        <p>
          A rulebook names the texts that people change, and add-ons bring some of their own. Every other text
          can be looked at and changed too.
        </p>
        <Button kind="main" onclick={() => (all = true)}>Show every text</Button>
      </Empty>
    {:else}
      <div class="mb-2.5 flex flex-wrap items-center gap-3">
        <Filter bind:find label="Find a text" />
        <span class="text-ink-soft">{count(shown.length, 'text')}</span>
        <span class="ml-auto flex flex-wrap gap-2">
          <Button kind="quiet" disabled={!!looking.busy} onclick={lookOver}
            >{looking.busy ? 'Looking…' : 'Look for mistakes'}</Button
          >
          {#if templates.length}<Button kind="quiet" onclick={() => (making = true)}>Make a text…</Button
            >{/if}
          <Button kind="quiet" onclick={() => (rewriting = true)}>Change a name…</Button>
          <Button kind="quiet" onclick={() => (searching = !searching)}>Look inside…</Button>
          <Button kind="quiet" onclick={() => (all = !all)}>{all ? 'Settings only' : 'Every text'}</Button>
        </span>
      </div>
      {#if searching}<FindIn {server} {to} />{/if}
      {#if looking.error}<Trouble error={looking.error} />{/if}
      {#if looked}
        <p class="mb-1.5" role="status" data-looked>
          {looked.findings.length ? count(looked.findings.length, 'finding') : 'No findings'} in
          {count(looked.texts, 'text')}.
        </p>
        {#if looked.findings.length}<TextFindings findings={looked.findings} {server} {to} />{/if}
      {:else if findings.length}<TextFindings {findings} {server} {to} />{/if}
      <div class="overflow-x-auto">
        <table class="table">
          <thead>
            <tr>
              <th class="label">Text</th>
              <th class="label">From</th>
              <th class="label max-sm:hidden">Changed at</th>
              <th class="label max-sm:hidden">Format</th>
              <th class="label text-right max-sm:hidden">Size</th>
            </tr>
          </thead>
          <tbody>
            {#each shown as t (t.path)}
              <tr data-row data-text={t.path}>
                <td>
                  <a class="link" data-open href={to(t.path)}><PathText path={t.path} /></a>
                  {#if t.about}<div class="reason">{t.about}</div>{/if}
                </td>
                <td>
                  {t.owners.join(', ') || (t.made ? `came with the start of ${t.made}` : "the server's own")}
                  {#if t.changed}<span class="level warn-ink px-1.5 whitespace-nowrap">changed outside</span
                    >{/if}
                  {#if t.tweaks.length}<span class="reason whitespace-nowrap"
                      >{count(t.tweaks.length, 'tweak')}</span
                    >{/if}
                </td>
                <td class="whitespace-nowrap max-sm:hidden">{t.modified ? clock(t.modified) : ''}</td>
                <td class="max-sm:hidden">{t.format}</td>
                <td class="text-right whitespace-nowrap max-sm:hidden">{size(t.size)}</td>
              </tr>
            {:else}
              <tr><td colspan="5" class="text-ink-soft">No text has “{find}” in its path.</td></tr>
            {/each}
          </tbody>
        </table>
      </div>
    {/if}
    <DraftingNote {drafting} />
    {#if templates.length}<MakeText
        bind:open={making}
        {server}
        {templates}
        addons={(on.data?.addons ?? []).map((a) => a.name)}
        {drafting}
      />{/if}
    <Rewrite bind:open={rewriting} {server} />
    {#if held.data?.length}
      <h2 class="mt-5 mb-2">Tweaks that hold here</h2>
      <div class="box">
        {#each held.data as k (k.id)}<TweakRow {server} tweak={k} named />{/each}
      </div>
    {/if}
  {/if}
{/if}
