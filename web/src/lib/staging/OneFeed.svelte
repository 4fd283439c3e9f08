<!-- All that a feed announces: any version of it can be staged, and each next version of an add-on can be
     staged by itself. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Feed } from '../api/client';
  import { result } from '../api/jobs';
  import { attempting } from '../attempt.svelte';
  import { size } from '../format';
  import Button from '../ui/Button.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { groupBy } from './fold';

  let { open = $bindable(), feed }: { open: boolean; feed: Feed } = $props();
  const client = useQueryClient();
  const act = attempting();
  let addons = $derived(groupBy(feed.releases ?? [], (r) => r.addon));
  const again = () => client.invalidateQueries({ queryKey: ['crates'] });
  let params = $derived({ params: { path: { feed: feed.name } } });

  const stage = (release: string) =>
    act.run(release, async () => {
      await result(await ok(api.POST('/feeds/{feed}/take', { ...params, body: { addon: release } })));
      await again();
    });
  const follow = (addon: string, always: boolean) =>
    act.run('follow', async () => {
      await ok(api.PUT('/feeds/{feed}/taken', { ...params, body: { addon, always } }));
      await again();
    });
</script>

<Sheet bind:open title={feed.title || feed.name} about={feed.url} wide>
  {#if act.error}<Trouble error={act.error} />{/if}
  {#each addons as [addon, releases] (addon)}
    <section class="row py-2" data-announced={addon}>
      <div class="flex flex-wrap items-center gap-x-4 gap-y-1">
        <h3 class="font-semibold">{addon}</h3>
        <Tick
          checked={(feed.taken ?? []).includes(addon)}
          onchange={(always) => void follow(addon, always)}
          label="Stage each next version by itself: {addon}"
        >
          Stage each next version by itself</Tick
        >
      </div>
      {#each releases as r (r.version + r.sha256)}
        <div class="flex flex-wrap items-center gap-x-3.5 gap-y-1 py-0.5">
          <span class="min-w-0 flex-1 basis-64">
            <span class="mono">{r.version}</span>, {size(r.size)}{r.date ? `, ${r.date}` : ''}
            {#if r.notes}<span class="reason block [overflow-wrap:anywhere]">{r.notes}</span>{/if}
          </span>
          {#if r.staged}<span class="reason">staged</span>
          {:else}
            {@const release = `${r.addon}@${r.version}`}
            <Button kind="quiet" disabled={!!act.busy} onclick={() => stage(release)}
              >{act.busy === release ? 'Fetching…' : `Stage ${release}`}</Button
            >
          {/if}
        </div>
      {/each}
    </section>
  {:else}
    <p class="text-ink-soft">It has not been read yet, or announces nothing.</p>
  {/each}
</Sheet>
