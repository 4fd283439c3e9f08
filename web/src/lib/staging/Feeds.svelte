<!-- The feeds that are followed, and what they announce that no server has yet. -->
<script lang="ts">
  import Word from '../help/Word.svelte';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import { result } from '../api/jobs';
  import { feeds } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import { clock, count, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { news } from './feeds';
  import FollowFeed from './FollowFeed.svelte';
  import OneFeed from './OneFeed.svelte';

  const client = useQueryClient();
  const q = createQuery(feeds);
  const act = attempting();
  let adding = $state(false);
  let dropping = $state('');
  let reading = $state('');
  let looking = $state(false);
  let shown = $derived((q.data ?? []).find((f) => f.name === reading));
  let rows = $derived(news(q.data ?? []));
  const again = () => client.invalidateQueries({ queryKey: ['crates'] });

  const path = (feed: string) => ({ params: { path: { feed } } });
  const take = (feed: string, addon: string, version: string) =>
    act.run(`${feed} ${addon}`, async () => {
      await result(
        await ok(api.POST('/feeds/{feed}/take', { ...path(feed), body: { addon: `${addon}@${version}` } }))
      );
      await again();
    });
  const check = (feed: string) =>
    act.run(feed, async () => {
      await ok(api.POST('/feeds/{feed}/check', path(feed)))
        .then(result)
        .finally(again);
    });
</script>

<div class="mt-6 mb-2 flex flex-wrap items-center gap-3">
  <h2>Feeds <Word is="feed" /></h2>
  <Button onclick={() => (adding = true)}>Follow a feed…</Button>
</div>
<FollowFeed bind:open={adding} />
{#if act.error}<Trouble error={act.error} />{/if}
{#if q.error}
  <Trouble error={q.error} />
{:else if q.data?.length === 0}
  <p class="text-ink-soft">
    In a feed a community or an author announces versions. What is newer than what your servers have is told
    here, and downloaded when you ask for it.
  </p>
{:else if q.data}
  <div class="border border-rule">
    {#each rows as n (n.feed + n.release.sha256)}
      <div class="row flex flex-wrap items-center gap-x-3.5 gap-y-1 px-4 py-2" data-release={n.release.addon}>
        <span class="min-w-0 flex-1 basis-64">
          <b>{n.release.addon}</b> <span class="mono">{n.release.version}</span>, {size(n.release.size)}
          {#if n.release.notes}<span class="block [overflow-wrap:anywhere]">{n.release.notes}</span>{/if}
          <span class="reason block [overflow-wrap:anywhere]"
            >{n.feed}{#if n.release.date}, {n.release.date}{/if}; {n.on}</span
          >
        </span>
        <Button disabled={!!act.busy} onclick={() => take(n.feed, n.release.addon, n.release.version)}
          >{act.busy === `${n.feed} ${n.release.addon}` ? 'Fetching…' : `Stage ${n.release.addon}`}</Button
        >
      </div>
    {/each}
    {#each q.data as f (f.name)}
      <div class="row flex flex-wrap items-center gap-x-3.5 gap-y-1 px-4 py-2" data-feed={f.name}>
        <span class="min-w-0 flex-1 basis-64">
          <b>{f.name}</b>{#if f.title}, {f.title}{/if}
          <span class="reason block [overflow-wrap:anywhere]">
            {#if f.lookedAt}{count(f.count, 'release')}, read {clock(f.lookedAt)}, {f.signed
                ? 'signed'
                : 'not signed'}{/if}
            {#if f.trouble}{f.lookedAt ? '; not read since' : 'It could not be read yet'}: {f.trouble}{/if}
          </span>
        </span>
        <Button onclick={() => ([reading, looking] = [f.name, true])}>All of {f.name}…</Button>
        <Button disabled={!!act.busy} onclick={() => check(f.name)}
          >{act.busy === f.name ? 'Looking…' : `Check ${f.name}`}</Button
        >
        <Button disabled={!!act.busy} onclick={() => (dropping = f.name)}>Drop {f.name}…</Button>
      </div>
    {/each}
  </div>
{/if}
{#if shown}<OneFeed bind:open={looking} feed={shown} />{/if}
<Confirm
  bind:open={() => !!dropping, (v) => (dropping = v ? dropping : '')}
  title={`Drop ${dropping}?`}
  about="It is followed no more. What was staged from it stays."
  word={`Drop ${dropping}`}
  does={async () => {
    await ok(api.DELETE('/feeds/{feed}', path(dropping)));
    await again();
  }}
/>
