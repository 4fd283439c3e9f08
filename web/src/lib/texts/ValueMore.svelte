<!-- What else there is to know of a value: where else it stands, and whether it is a secret. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { toServer } from '../../router';
  import { api, ok, type TextValue } from '../api/client';
  import { elsewhere, history } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import { clock, count } from '../format';
  import { didTo } from './values';
  import PathText from '../ui/PathText.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server, path, value: v }: { server: string; path: string; value: TextValue } = $props();
  const client = useQueryClient();
  const q = createQuery(() => elsewhere(server, path, v.path));
  const marking = attempting();
  const past = createQuery(() => history(server, path.split('!/')[0] ?? path));
  let done = $derived(didTo(past.data ?? [], v.path));
  const few = 6;
  const mark = () =>
    marking.run('secret', async () => {
      await ok(
        api.POST('/servers/{server}/secrets', { params: { path: { server } }, body: { path, at: v.path } })
      );
      await client.invalidateQueries({ queryKey: ['text', server] });
    });
  const to = (p: string) => `${toServer(server, 'texts')}?text=${encodeURIComponent(p)}`;
</script>

<div class="reason more px-3 pb-2" data-more={v.path}>
  <p class="mono [overflow-wrap:anywhere]">{v.path}, line {v.line}</p>
  {#if q.isPending}
    <p role="status">Looking where else it stands…</p>
  {:else if q.error}
    <Trouble error={q.error} />
  {:else if q.data?.common}
    {#if !v.secret}<p>Such a value stands everywhere, so nothing was looked for.</p>{/if}
  {:else if q.data?.places.length === 0}
    <p>It stands nowhere else in the server’s settings; {count(q.data.texts, 'text')} searched.</p>
  {:else if q.data}
    {#each q.data.places.slice(0, few) as h (`${h.path} ${h.nth}`)}
      <p>
        also in <a class="link" href={to(h.path)}><PathText path={h.path} /></a>, line {h.line}:
        <span class="mono [overflow-wrap:anywhere]">{h.text}</span>
      </p>
    {/each}
    {#if q.data.places.length > few}<p>and in {count(q.data.places.length - few, 'place')} more</p>{/if}
  {/if}
  {#each done.slice(0, few) as d, i (i)}
    <p>{clock(d.at)}: {d.deployment} {d.what}, by {d.actor}</p>
  {/each}
  {#if v.secret}
    <p>It is a secret: masked wherever this text is shown.</p>
  {:else}
    <button
      type="button"
      class="link"
      disabled={marking.busy !== ''}
      title="Mask it wherever this text is shown, from now on"
      onclick={mark}>Keep it secret</button
    >
  {/if}
  {#if marking.error}<Trouble error={marking.error} />{/if}
</div>

<style>
  .more {
    border-bottom: 1px dashed var(--rule);
  }
</style>
