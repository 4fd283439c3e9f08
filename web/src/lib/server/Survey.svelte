<!-- What is on a server besides what was deployed, and what was changed there. Each difference is
     decided on; all that is chosen becomes one draft. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, problemOf, type Survey, type SurveyItem } from '../api/client';
  import { result } from '../api/jobs';
  import { lastSurvey } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import Diff from '../deploy/Diff.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { clock, count, size } from '../format';
  import Every from './Every.svelte';
  import Button from '../ui/Button.svelte';
  import Empty from '../ui/Empty.svelte';
  import PathText from '../ui/PathText.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { about, deeds, ordered, settling, sums, type Deed } from './survey';

  let { server, deployed }: { server: string; deployed?: string } = $props();
  const client = useQueryClient();
  const drafting = new Drafting();
  const looking = attempting();
  const q = createQuery(() => lastSurvey(server));
  let none = $derived(q.error && problemOf(q.error).code === 'no-survey');
  let items = $derived(ordered(q.data?.items ?? []));
  let chosen = $state<Record<string, boolean>>({});
  let opened = $state<Record<string, boolean>>({});
  let picked = $derived(items.filter((i) => chosen[i.path]));
  let stale = $derived(q.data && deployed && Date.parse(deployed) > Date.parse(q.data.at));

  const look = (thorough: boolean) =>
    looking.run(thorough ? 'thorough' : 'look', async () => {
      chosen = {};
      const found = await result<Survey>(
        await ok(api.POST('/servers/{server}/surveys', { params: { path: { server } }, body: { thorough } }))
      );
      client.setQueryData(['survey', server], found);
      await client.invalidateQueries({ queryKey: ['status', server] });
    });

  const settle = (which: SurveyItem[], deed: Deed) =>
    deed === 'ignore' ? ignore(which) : drafting.start(server, { settle: settling(which, deed) });

  async function ignore(which: SurveyItem[]) {
    await looking.run('ignore', async () => {
      for (const i of which)
        await ok(
          api.PUT('/servers/{server}/ignored', {
            params: { path: { server } },
            body: { pattern: i.path }
          })
        );
    });
    if (!looking.error) await look(false);
  }

  const words: Record<Deed, string> = {
    restore: 'Put back',
    accept: 'Accept as it is',
    tweak: 'Keep as a tweak',
    remove: 'Take off the server',
    ignore: 'Ignore'
  };
  const tones: Record<SurveyItem['kind'], string> = { changed: 'warn', missing: 'block', unknown: 'note' };
</script>

<div class="mb-3 flex flex-wrap items-center gap-3">
  <Button kind={q.data ? 'plain' : 'main'} disabled={looking.busy !== ''} onclick={() => look(false)}
    >{looking.busy === 'look' ? 'Looking…' : q.data ? 'Look again' : 'Look at the whole server'}</Button
  >
  <Button
    disabled={looking.busy !== ''}
    onclick={() => look(true)}
    title="Every deployed file is read, whatever its time says"
    >{looking.busy === 'thorough' ? 'Reading…' : 'Read every file'}</Button
  >
  {#if q.data}
    <span class="min-w-0 flex-1 text-ink-soft max-sm:basis-full" data-surveyed
      >{sums(q.data)}{#if stale}. <span class="warn-ink">Something was deployed since.</span>{/if}</span
    >
  {/if}
</div>
<div class="mb-3"><Every {server} what="surveyEvery" label="By itself, and after starts" /></div>
{#if looking.error}<Trouble error={looking.error} />{/if}
<DraftingNote {drafting} />

{#if none}
  <Empty title="Nobody has looked at the whole server yet" picture="tree">
    <p>
      A survey compares everything on the server with what was deployed: what somebody changed, what is
      missing, what nobody deployed. It changes nothing.
    </p>
  </Empty>
{:else if q.error}
  <Trouble error={q.error} />
{:else if q.data}
  {#if picked.length}
    <div class="mb-2 flex flex-wrap items-center gap-2 border border-rule px-4 py-2" data-picked>
      <span class="label mr-1">{picked.length} chosen</span>
      {#each deeds(picked) as deed (deed)}
        <Button disabled={drafting.busy || looking.busy !== ''} onclick={() => settle(picked, deed)}
          >{words[deed]}</Button
        >
      {:else}
        <span class="text-ink-soft">Nothing can be done about all of these at once.</span>
      {/each}
      <Button kind="quiet" onclick={() => (chosen = {})}>Choose none</Button>
    </div>
  {/if}
  <div class="border border-rule">
    {#each items as i (i.path)}
      <div class="row px-4 py-2" data-differs={i.path}>
        <div class="flex flex-wrap items-center gap-x-3.5 gap-y-1">
          <Tick
            bind:checked={() => chosen[i.path] ?? false, (v) => (chosen[i.path] = v)}
            label="Choose {i.path}"
          />
          <span class="level w-[74px] {tones[i.kind]}-ink">{i.kind}</span>
          <span class="min-w-0 flex-1 basis-64"
            ><PathText path={i.path} /> <span class="reason">{about(i)}</span></span
          >
          <span class="flex flex-wrap gap-x-1">
            {#each deeds([i]) as deed (deed)}
              <Button
                kind="quiet"
                disabled={drafting.busy || looking.busy !== ''}
                onclick={() => settle([i], deed)}>{words[deed]}</Button
              >
            {/each}
            {#if i.diff}
              <Button kind="quiet" onclick={() => (opened[i.path] = !opened[i.path])}
                >{opened[i.path] ? 'Hide' : 'What changed'}</Button
              >
            {/if}
          </span>
        </div>
        {#if i.why}<p class="reason pl-8">{i.why}</p>{/if}
        {#if i.diff && opened[i.path]}<div class="pl-8"><Diff diff={i.diff} /></div>{/if}
      </div>
    {:else}
      <p class="px-4 py-3 text-ink-soft">
        Everything that was deployed is as it is recorded, and nothing else lies there that you do not know
        of.
      </p>
    {/each}
  </div>
  <p class="reason mt-2">
    {count(q.data.counts.files, 'file')}, {size(q.data.counts.bytes)}, seen {clock(q.data.at)}.
    {#if q.data.counts.own}The server's own, by its rulebook: {count(q.data.counts.own, 'file')}.{/if}
    {#if q.data.counts.edited}The server writes to {count(q.data.counts.edited, 'text')} as well; what was deployed
      there holds.{/if}
    {#if q.data.counts.ignored}Ignored, as you said: {count(q.data.counts.ignored, 'file')}.{/if}
  </p>
{/if}
