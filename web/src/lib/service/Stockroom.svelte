<!-- What is kept of downloads and of servers' files: looked over, and room freed after it was read. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, ok, type TidyPlan } from '../api/client';
  import type { components } from '../api/generated/schema';
  import { result } from '../api/jobs';
  import { keptArchives } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import Word from '../help/Word.svelte';
  import { count, size } from '../format';
  import Announce from '../ui/Announce.svelte';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import FindingRow from '../ui/FindingRow.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { policyOf } from './policy';

  type Checkup = components['schemas']['Checkup'];
  const kept = createQuery(keptArchives);
  const act = attempting();
  let days = $state('');
  let versions = $state('');
  let most = $state('');
  let plan = $state<TidyPlan>();
  let read = $state<Checkup>();
  let words = $state('');
  let freeing = $state(false);
  let freed = $state('');
  let policy = $derived(policyOf(days, versions, most));

  const look = (mend: boolean) =>
    void act.run('look', async () => {
      read = undefined;
      const job = await ok(api.POST('/checkups', { params: { query: { mend } } }));
      try {
        read = await result<Checkup>(job, (e) => (words = e.data.text ?? words));
      } finally {
        words = '';
      }
    });

  const draw = (e: SubmitEvent) => {
    e.preventDefault();
    void act.run('plan', async () => {
      freed = '';
      plan = await ok(api.POST('/stockroom/plan', { body: { policy } }));
    });
  };

  async function free() {
    const asked = plan!;
    await result(await ok(api.POST('/stockroom/tidy', { body: { policy, digest: asked.digest } })));
    freed = `${size(asked.freed)} freed.`;
    plan = undefined;
    await kept.refetch();
  }
</script>

<h2 class="mb-2">Stockroom <Word is="stockroom" /></h2>
{#if act.error}<Trouble error={act.error} />{/if}
<div class="box mb-5">
  <div class="flex flex-wrap items-center gap-x-4 gap-y-2 px-4 py-2.5">
    <span class="min-w-0 flex-1 basis-64">
      {#if words}{words}{:else if read}{count(read.read, 'content')} read and found {read.damaged.length
          ? 'damaged in part'
          : 'whole'}; the records are sound.
      {:else if kept.data}{count(kept.data.filter((a) => !a.dropped).length, 'download')} kept, {size(
          kept.data.filter((a) => !a.dropped).reduce((n, a) => n + a.archive.size, 0)
        )}{/if}
      <Announce
        words={words ||
          (read ? `${count(read.read, 'content')} read, ${read.damaged.length || 'none'} damaged` : '')}
      />
    </span>
    <Button disabled={!!act.busy} onclick={() => look(false)}
      >{act.busy === 'look' ? 'Reading…' : 'Read and check every byte'}</Button
    >
    {#if read?.damaged.length}<Button kind="main" disabled={!!act.busy} onclick={() => look(true)}
        >Mend what can be</Button
      >{/if}
  </div>
  {#if read}
    {#each read.damaged as d (d.digest)}
      <FindingRow
        finding={{
          level: d.mended ? 'note' : 'block',
          code: 'damaged',
          what: d.mended
            ? `A damaged content was read again from ${d.mended} and is whole.`
            : `A content is damaged, of ${d.archives.join(', ') || 'a kept copy of a server’s file'}.`,
          mend: d.mended || d.archives.length === 0 ? undefined : `Staging ${d.archives[0]} again mends it.`
        }}
      />
    {/each}
    {#each read.notes as n (n)}<p class="reason border-t border-rule px-4 py-1.5">{n}</p>{/each}
  {/if}
  <form class="flex flex-wrap items-end gap-3 border-t border-rule px-4 py-2.5" onsubmit={draw}>
    <span class="label basis-full">Free room: let go of downloads</span>
    <Labelled label="older than, days"
      ><input
        class="input w-28"
        type="number"
        min="1"
        bind:value={() => days, (v) => (days = String(v ?? ''))}
      /></Labelled
    >
    <Labelled label="but keep so many versions"
      ><input
        class="input w-28"
        type="number"
        min="1"
        bind:value={() => versions, (v) => (versions = String(v ?? ''))}
      /></Labelled
    >
    <Labelled label="until less is kept than, MB"
      ><input
        class="input w-28"
        type="number"
        min="1"
        bind:value={() => most, (v) => (most = String(v ?? ''))}
      /></Labelled
    >
    <Button type="submit" disabled={!!act.busy || Object.keys(policy).length === 0}>Show what would go</Button
    >
    {#if freed}<span role="status">{freed}</span>{/if}
  </form>
  {#if plan}
    <div class="border-t-[1.5px] border-ink px-4 py-2.5" data-plan>
      {#if plan.freed === 0}<p>
          Nothing would go: {plan.kept
            .map((k) => `${count(k.names.length, 'download')} ${k.why}`)
            .join('; ')}.
        </p>
      {:else}
        <p class="mb-2">
          <b>{size(plan.freed)}</b> of {size(plan.total)} would be freed.
          {#if plan.givenUp.length}After it these cannot be taken back any more: {plan.givenUp.join(
              ', '
            )}.{/if}
        </p>
        <ul class="mono max-h-60 overflow-y-auto">
          {#each [...plan.archives, ...plan.copies] as g (g.name + g.digest)}<li>
              {g.name}, {size(g.size)}
            </li>{/each}
        </ul>
        <div class="mt-3"><Button onclick={() => (freeing = true)}>Free {size(plan.freed)}…</Button></div>
      {/if}
    </div>
  {/if}
</div>
<Confirm
  bind:open={freeing}
  title="Free {size(plan?.freed ?? 0)}?"
  about="What goes is gone from this stockroom; a download that is staged again brings its crates back. What a server or an allowed way back needs stays."
  word="Free it"
  destroys
  does={free}
/>
