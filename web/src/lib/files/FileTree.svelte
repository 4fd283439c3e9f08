<!-- The files of a server as a tree: folders first, with who each file is of and how the last survey
     found it. → and ← open and close a folder. -->
<script lang="ts">
  import { createQueries, createQuery } from '@tanstack/svelte-query';
  import { SvelteSet } from 'svelte/reactivity';
  import { folderOf, foundFiles } from '../api/queries';
  import { clock, count, size } from '../format';
  import { later } from '../later.svelte';
  import Empty from '../ui/Empty.svelte';
  import Filter from '../ui/Filter.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import VirtualRows from '../ui/VirtualRows.svelte';
  import { fileHref } from './address';
  import { below, ownerOf, treeRows, type TreeRow } from './tree';
  import type { FolderRow } from '../api/client';

  interface Props {
    server: string;
    /** Looked for from the beginning. */
    wanted?: string;
  }
  let { server, wanted = '' }: Props = $props();

  const opened = new SvelteSet<string>();
  // svelte-ignore state_referenced_locally
  let find = $state(wanted);
  const typed = later(() => find.trim());
  let asked = $derived(typed.now);
  const root = createQuery(() => folderOf(server, ''));
  const inner = createQueries(() => ({ queries: [...opened].map((path) => folderOf(server, path)) }));
  const found = createQuery(() => ({ ...foundFiles(asked, server), enabled: asked !== '' }));

  let known = $derived(
    new Map<string, FolderRow[]>(
      [root, ...inner].flatMap(({ data }) => (data ? [[data.path, data.rows] as const] : []))
    )
  );
  let rows = $derived(treeRows(known, opened));

  // A small tree is seen whole at once: each folder is opened when it comes, and may be closed.
  const small = 60;
  const came: Record<string, true> = {};
  $effect(() => {
    const top = root.data?.rows ?? [];
    if (top.reduce((n, r) => n + (r.folder ? (r.files ?? 0) : 1), 0) > small) return;
    for (const [folder, all] of known)
      for (const r of all) {
        const path = below(folder, r.name);
        if (!r.folder || !r.files || came[path]) continue;
        came[path] = true;
        opened.add(path);
      }
  });

  const turn = (r: TreeRow) => void (opened.has(r.path) ? opened.delete(r.path) : opened.add(r.path));

  function keys(e: KeyboardEvent, r: TreeRow) {
    if (e.key === 'ArrowRight' && r.row.folder && !r.open) opened.add(r.path);
    else if (e.key === 'ArrowLeft' && r.open) opened.delete(r.path);
    else if (e.key === 'ArrowLeft') {
      const parent = r.path.slice(0, Math.max(0, r.path.lastIndexOf('/')));
      document.querySelector<HTMLElement>(`[data-path="${CSS.escape(parent)}"]`)?.focus();
    } else return;
    e.preventDefault();
  }
</script>

{#snippet marks(row: FolderRow)}
  {#if row.mark}<span class="level {row.mark === 'missing' ? 'block' : 'warn'}-ink px-2">{row.mark}</span>
  {:else if row.marked}<span class="reason whitespace-nowrap">{row.marked} not as recorded</span>{/if}
{/snippet}

{#if root.error}<Trouble error={root.error} />{/if}
{#if root.data}
  <div class="mb-2.5 flex flex-wrap items-center gap-3">
    <Filter bind:find label="Find a path, also of what is gone" />
    {#if asked && found.data}<span class="text-ink-soft"
        >{found.data.length >= 200 ? 'the first 200 of more' : count(found.data.length, 'path')}</span
      >{:else if root.data.surveyedAt}<span class="reason"
        >marks as surveyed at {clock(root.data.surveyedAt)}</span
      >{:else}<span class="reason">not surveyed yet: what was changed outside is not marked</span>{/if}
  </div>
  {#if asked}
    {#if found.error}<Trouble error={found.error} />{/if}
    {#if found.data?.length}
      <div class="box">
        <VirtualRows items={found.data} keyOf={(f) => f.path} brief={(f) => f.path}>
          {#snippet row(f)}
            <div class="line" data-row data-file={f.path}>
              <a class="mono link min-w-0 [overflow-wrap:anywhere]" data-open href={fileHref(server, f.path)}
                >{f.path}</a
              >
              <span class="reason ml-auto">{f.gone ? 'gone' : ''}</span>
              <span class="w-20 text-right whitespace-nowrap">{size(f.size)}</span>
            </div>
          {/snippet}
        </VirtualRows>
      </div>
    {:else if found.data}
      <p class="text-ink-soft">Nothing that was ever deployed here has “{asked}” in its path.</p>
    {/if}
  {:else if rows.length === 0}
    <Empty title="No file yet" picture="tree">
      <p>
        Here stands every file that a deployment has put on this server, with where it is from and what was
        there before.
      </p>
    </Empty>
  {:else}
    <div class="box">
      <VirtualRows
        items={rows}
        keyOf={(r) => r.path}
        brief={(r) => r.path}
        role="tree"
        label="Files of {server}"
      >
        {#snippet row(r)}
          <div
            class="line"
            role="treeitem"
            aria-level={r.depth + 1}
            aria-expanded={r.row.folder ? r.open : undefined}
            aria-selected="false"
            tabindex="-1"
            data-row
            data-file={r.path}
            style="padding-left:{12 + r.depth * 18}px"
          >
            {#if r.row.folder}
              <button
                type="button"
                class="name"
                data-open
                data-path={r.path}
                aria-label="{r.open ? 'Close' : 'Open'} {r.path}"
                onclick={() => turn(r)}
                onkeydown={(e) => keys(e, r)}
                ><span class="inline-block w-4" aria-hidden="true">{r.open ? '−' : '+'}</span>{r.row
                  .name}/</button
              >
            {:else if r.row.file}
              <a
                class="name link"
                data-open
                data-path={r.path}
                href={fileHref(server, r.path)}
                onkeydown={(e) => keys(e, r)}>{r.row.name}</a
              >
            {:else}
              <span class="name" data-open data-path={r.path} tabindex="-1" role="note">{r.row.name}</span>
            {/if}
            <span class="reason min-w-0 [overflow-wrap:anywhere] max-sm:hidden">{ownerOf(r.row)}</span>
            <span class="ml-auto flex items-center gap-3">
              {@render marks(r.row)}
              {#if r.coming}<span class="reason">coming…</span>{/if}
              {#if r.row.file}<span class="mono max-md:hidden">{r.row.file.deployment}</span>{/if}
              <span class="reason w-[104px] text-right whitespace-nowrap"
                >{r.row.files ? `${count(r.row.files, 'file')}, ` : ''}{size(r.row.size)}</span
              >
            </span>
          </div>
        {/snippet}
      </VirtualRows>
    </div>
  {/if}
{/if}

<style>
  .line {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 2px 14px;
    min-height: 33px;
    padding: 3px 12px;
    border-bottom: 1px solid var(--rule-faint);
  }
  .line:hover {
    background: color-mix(in srgb, var(--rule-faint) 45%, transparent);
  }
  .name {
    font: 400 12.5px/1.5 var(--font-mono);
    min-height: 24px;
    text-align: left;
    overflow-wrap: anywhere;
    min-width: 0;
  }
</style>
