<!-- One thing that happened to a file: when, by whom, and, opened, what it made of it. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { toDeployment } from '../../router';
  import type { LedgerEvent, State } from '../api/client';
  import { compared } from '../api/queries';
  import Diff from '../deploy/Diff.svelte';
  import { clock, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { contentHref } from './address';

  interface Props {
    server: string;
    path: string;
    event: LedgerEvent;
    newest: boolean;
    busy: boolean;
    onback: () => void;
  }
  let { server, path, event: e, newest, busy, onback }: Props = $props();
  let shown = $state<'' | 'made' | 'now'>('');
  const q = createQuery(() => ({ ...compared(server, path, e.seq, shown === 'now'), enabled: shown !== '' }));

  function stood(s: State, crates: string[]): string {
    if (s.being === 'absent') return 'nothing';
    if (s.being === 'folder') return 'a folder';
    if (s.being !== 'content') return 'something unknown';
    return `${crates.join(', ') || 'the server’s own file'}, ${size(s.size ?? 0)}`;
  }
  const number = (name: string) => Number(name.slice(name.indexOf('#') + 1));
</script>

<div class="row px-4 py-2" data-event={e.seq}>
  <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
    {#if e.deployment}<a
        class="link w-28 font-semibold"
        href={toDeployment({ server, number: number(e.deployment) })}>{e.deployment}</a
      >{:else}<span class="w-28">{e.cause}</span>{/if}
    <span class="reason w-32">{clock(e.at)}</span>
    <span class="min-w-0 flex-1 basis-64 [overflow-wrap:anywhere]">
      {#if e.did?.length}{e.did.join(', ')}{:else}{stood(e.before, e.cratesBefore)}
        <span class="reason">became</span>
        {stood(e.after, e.cratesAfter)}{/if}
    </span>
    <span class="reason">by {e.actor}</span>
  </div>
  <div class="mt-1 flex flex-wrap gap-2">
    <Button
      kind="quiet"
      expanded={shown === 'made'}
      label="What {e.deployment ?? e.cause} changed in it"
      onclick={() => (shown = shown === 'made' ? '' : 'made')}>What it changed</Button
    >
    {#if !newest}
      <Button
        kind="quiet"
        expanded={shown === 'now'}
        label="As it was after {e.deployment ?? e.cause}, beside now"
        onclick={() => (shown = shown === 'now' ? '' : 'now')}>Then and now</Button
      >
      {#if e.after.being === 'content'}
        <Button
          kind="quiet"
          disabled={busy}
          label="Back to how it was after {e.deployment ?? e.cause}"
          onclick={onback}>Back to this</Button
        >
      {/if}
    {/if}
    {#if e.before.being === 'content'}
      <Button
        kind="quiet"
        href={contentHref(server, path, e.seq, 'before')}
        download
        label="Download it as it was before {e.deployment ?? e.cause}">Download before</Button
      >
    {/if}
    {#if e.after.being === 'content' && !newest}
      <Button
        kind="quiet"
        href={contentHref(server, path, e.seq, 'after')}
        download
        label="Download it as it was after {e.deployment ?? e.cause}">Download after</Button
      >
    {/if}
  </div>
  {#if q.error}<Trouble error={q.error} />{/if}
  {#if shown && q.data}
    {@const c = q.data}
    <div class="mt-2" data-made>
      {#if c.diff}<Diff diff={c.diff} />
      {:else if c.before.kind === 'picture' || c.after.kind === 'picture'}
        <div class="flex flex-wrap gap-4">
          {#if c.before.kind === 'picture'}<figure>
              <img
                class="max-h-48 border border-rule"
                src={contentHref(server, path, e.seq, shown === 'now' ? 'after' : 'before')}
                alt="{path}, {shown === 'now' ? 'then' : 'before'}"
              />
              <figcaption class="reason">{shown === 'now' ? 'then' : 'before'}</figcaption>
            </figure>{/if}
          {#if c.after.kind === 'picture'}<figure>
              <img
                class="max-h-48 border border-rule"
                src={shown === 'now' ? contentHref(server, path) : contentHref(server, path, e.seq)}
                alt="{path}, {shown === 'now' ? 'now' : 'after'}"
              />
              <figcaption class="reason">{shown === 'now' ? 'now' : 'after'}</figcaption>
            </figure>{/if}
        </div>
      {:else if c.before.state.digest === c.after.state.digest}
        <p class="text-ink-soft">The same bytes.</p>
      {:else if (c.before.state.being === 'content' && !c.before.kept) || (c.after.state.being === 'content' && !c.after.kept)}
        <p class="text-ink-soft">
          The bytes {c.before.kept ? 'of after' : 'of before'} are not kept in the stockroom, so the two cannot
          be compared.
        </p>
      {:else}<p class="text-ink-soft">
          No text: {stood(c.before.state, [])} became {stood(c.after.state, [])}.
        </p>{/if}
    </div>
  {/if}
</div>
