<!-- How often something is to be done on a server: never, or one of a few lengths of time. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import { rhythm } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server, what, label }: { server: string; what: 'surveyEvery' | 'updatesEvery'; label: string } =
    $props();
  const client = useQueryClient();
  const attempt = attempting();
  const q = createQuery(() => rhythm(server));
  const hour = 3600;
  const lengths: [number, string][] = [
    [0, 'never'],
    [6 * hour, 'every 6 hours'],
    [24 * hour, 'every day'],
    [7 * 24 * hour, 'every week'],
    [30 * 24 * hour, 'every 30 days']
  ];
  let now = $derived(q.data?.[what] ?? 0);
  let shown = $derived(
    lengths.some(([n]) => n === now) ? lengths : [...lengths, [now, `every ${now} s`] as [number, string]]
  );

  const set = (seconds: number) =>
    attempt.run('set', async () => {
      await ok(
        api.PUT('/servers/{server}/rhythm', { params: { path: { server } }, body: { [what]: seconds } })
      );
      await client.invalidateQueries({ queryKey: ['status', server] });
      await client.invalidateQueries({ queryKey: ['rhythm', server] });
    });
</script>

<!-- It has its place before the answer comes: nothing is to move under a person's hands. -->
<label class="inline-flex items-center gap-2">
  <span class="label">{label}</span>
  <select
    class="input w-auto"
    aria-label={label}
    disabled={attempt.busy !== '' || !q.data}
    value={String(now)}
    onchange={(e) => set(Number(e.currentTarget.value))}
  >
    {#each shown as [seconds, words] (seconds)}<option value={String(seconds)}>{words}</option>{/each}
  </select>
</label>
{#if attempt.error}<Trouble error={attempt.error} />{/if}
