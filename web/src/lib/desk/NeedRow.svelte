<!-- One thing that waits for a person: what, since when, and what helps. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { attempting } from '../attempt.svelte';
  import { api, ok, type Acted, type Need } from '../api/client';
  import { result } from '../api/jobs';
  import { ago, clock } from '../format';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { deedOf, stamps, type Deed } from './deeds';

  let { need }: { need: Need } = $props();
  const client = useQueryClient();
  const attempt = attempting();
  let deeds = $derived(need.deeds.map((r) => deedOf(r, need)).filter((d) => d !== undefined));

  const does = {
    tick: async (on: string) => {
      const [server = '', number] = on.split('#');
      const path = { server, number: Number(number) };
      await result(await ok(api.POST('/servers/{server}/deployments/{number}/tick', { params: { path } })));
    },
    start: async (server: string) => {
      const body = { act: 'start' as const, wait: true };
      await result<Acted>(
        await ok(api.POST('/servers/{server}/acts', { params: { path: { server } }, body }))
      );
    },
    test: async (server: string) => {
      await ok(api.POST('/servers/{server}/test', { params: { path: { server } } }));
    }
  };

  const act = (d: Deed) =>
    void attempt.run(d.words, async () => {
      if (!d.does) return;
      try {
        await does[d.does](d.on);
      } finally {
        await client.invalidateQueries({ queryKey: ['status'] });
      }
    });
</script>

<div class="row px-4 py-2.5" data-need={need.kind} data-row>
  <div class="grid grid-cols-1 items-center gap-x-3.5 gap-y-2 sm:grid-cols-[84px_minmax(0,1fr)_auto]">
    <span class="level {need.level}-ink max-sm:w-[84px]">{stamps[need.kind]}</span>
    <div class="min-w-0 [overflow-wrap:anywhere]">
      <b class="font-semibold">{need.what}</b>
      <span class="reason">
        {need.more}{#if need.since}{need.more ? ', ' : ''}<time
            datetime={need.since}
            title={clock(need.since)}>{ago(need.since)}</time
          >{/if}
      </span>
      {#if need.line}<div class="mono">{need.line}</div>{/if}
    </div>
    <div class="flex flex-wrap gap-2">
      {#each deeds as d, i (d.words)}
        {#if d.href}
          <a
            class="button"
            href={d.href}
            data-open={i === 0 ? '' : undefined}
            aria-label="{d.words}: {need.what}">{d.words}</a
          >
        {:else}
          <Button
            kind="main"
            disabled={attempt.busy !== ''}
            label="{d.words}: {need.what}"
            onclick={() => act(d)}>{attempt.busy === d.words ? 'Under way…' : d.words}</Button
          >
        {/if}
      {/each}
    </div>
  </div>
  {#if attempt.error}<Trouble error={attempt.error} />{/if}
</div>
