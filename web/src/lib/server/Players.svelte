<!-- What the players of a server are told: what each add-on is for them, and the page for them. -->
<script lang="ts">
  import Word from '../help/Word.svelte';
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type PackEntry } from '../api/client';
  import { packlist } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import { clock, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import Forbid from './Forbid.svelte';
  import PackWords from './PackWords.svelte';

  let { server }: { server: string } = $props();
  const client = useQueryClient();
  const q = createQuery(() => packlist(server));
  const act = attempting();
  let revoking = $state(false);
  let editing = $state(false);
  let forbidding = $state(false);
  let copied = $state('');

  const path = $derived({ params: { path: { server } } });
  const again = () => client.invalidateQueries({ queryKey: ['status', server, 'packlist'] });
  const needs: [PackEntry['need'], string][] = [
    ['must', 'must have'],
    ['may', 'may have'],
    ['none', 'need not have'],
    ['must-not', 'must not have']
  ];
  const said = (e: PackEntry) => (e.because || e.need === 'unknown' ? undefined : e.need);

  function say(e: PackEntry, change: Partial<{ need: PackEntry['need'] | ''; share: boolean }>) {
    const need = 'need' in change ? change.need || undefined : said(e);
    void act.run(e.name, async () => {
      await ok(
        api.PATCH('/servers/{server}/packlist', {
          ...path,
          body: {
            addons: [
              {
                addon: e.name,
                need: need === 'unknown' ? undefined : need,
                note: e.note,
                share: change.share ?? e.share
              }
            ]
          }
        })
      );
      await again();
    });
  }
  const link = () =>
    act.run('link', async () => {
      await ok(api.POST('/servers/{server}/packlist/link', path));
      await again();
    });
  async function copy(what: string, text: string) {
    await navigator.clipboard.writeText(text);
    copied = what;
  }
</script>

{#if q.error}<Trouble error={q.error} />{/if}
{#if act.error}<Trouble error={act.error} />{/if}
{#if q.data}
  {@const l = q.data}
  <div class="flex flex-wrap items-start gap-x-6 gap-y-3">
    <div class="min-w-0 flex-1 basis-80">
      <h2 class="[overflow-wrap:anywhere]">{l.title}</h2>
      <p class="reason">
        {#if l.join}Players join at <span class="mono">{l.join}</span>{:else}Where players join is not known:
          the facts <i>address</i> and <i>port</i> say it{/if}
      </p>
      {#if l.words}<p class="mt-2 max-w-prose whitespace-pre-line [overflow-wrap:anywhere]">{l.words}</p>{/if}
    </div>
    <div class="flex flex-wrap gap-3">
      <Button onclick={() => (editing = true)}>Edit the words…</Button>
      <Button onclick={() => copy('text', l.text)}>{copied === 'text' ? 'Copied' : 'Copy as text'}</Button>
    </div>
  </div>
  <section class="mt-4 border border-rule px-4 py-3" aria-label="Page for players">
    {#if l.url}
      <p>
        Whoever has this address can read the list, and nothing else:
        <a class="mono block underline [overflow-wrap:anywhere]" href={l.url} target="_blank" rel="noreferrer"
          >{l.url}</a
        >
      </p>
      <div class="mt-2 flex flex-wrap gap-3">
        <Button onclick={() => copy('link', l.url ?? '')}
          >{copied === 'link' ? 'Copied' : 'Copy the address'}</Button
        >
        <Button disabled={!!act.busy} onclick={() => (revoking = true)}>Take the page away…</Button>
      </div>
    {:else}
      <p>Players have no page yet. It gets an address that nobody can guess, and needs no sign-in.</p>
      <div class="mt-2"><Button kind="main" disabled={!!act.busy} onclick={link}>Make a page</Button></div>
    {/if}
  </section>
  <div class="mt-4 mb-2 flex flex-wrap items-center gap-3">
    <h2>What players need <Word is="packing list" /></h2>
    <Button onclick={() => (forbidding = true)}>Name what they must not have…</Button>
  </div>
  {#if l.entries.length === 0}
    <p class="text-ink-soft">Nothing is deployed here yet, so players need nothing.</p>
  {:else}
    <div class="border border-rule">
      {#each l.entries as e (e.name)}
        <div class="row flex flex-wrap items-center gap-x-3.5 gap-y-1 px-4 py-2" data-player={e.name}>
          <span class="min-w-0 flex-1 basis-56">
            <b class="[overflow-wrap:anywhere]">{e.name}</b> <span class="mono">{e.version}</span>
            <span class="reason block [overflow-wrap:anywhere]">
              {[e.size ? size(e.size) : '', e.note, e.because].filter(Boolean).join(' · ')}
            </span>
          </span>
          <select
            class="input w-auto"
            aria-label="Players and {e.name}"
            disabled={!!act.busy}
            value={e.need}
            onchange={(x) => say(e, { need: x.currentTarget.value as PackEntry['need'] | '' })}
          >
            {#if e.need === 'unknown'}<option value="unknown">not known: told nothing</option>{/if}
            {#each needs as [need, words] (need)}<option value={need}>{words}</option>{/each}
            {#if e.version}<option value="">as its manifest says</option>{/if}
          </select>
          {#if e.version}
            <Tick checked={!!e.share} onchange={(share) => say(e, { share })}>may be handed out</Tick>
          {:else}
            <Button disabled={!!act.busy} onclick={() => say(e, { need: '' })}>Forget {e.name}</Button>
          {/if}
        </div>
      {/each}
    </div>
  {/if}
  {#if l.changes?.length && l.before}
    <h2 class="mt-4 mb-2">Since {clock(l.before)}</h2>
    <ul class="list-disc pl-5">
      {#each l.changes as c (c.name)}<li>
          <b>{c.name}</b>
          {c.was ?? ''}&nbsp;→ {c.is ?? 'needed no longer'}
        </li>{/each}
    </ul>
  {/if}
  <PackWords bind:open={editing} {server} title={l.title} words={l.words ?? ''} done={again} />
  <Forbid bind:open={forbidding} {server} done={again} />
  <Confirm
    bind:open={revoking}
    title="Take the page away?"
    about="Its address leads nowhere any more, also for those who have it. A new page gets another address."
    word="Take it away"
    destroys
    does={async () => {
      await ok(api.DELETE('/servers/{server}/packlist/link', path));
      await again();
    }}
  />
{/if}
