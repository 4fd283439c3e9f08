<!-- A rulebook's text in an editor: checked while it is typed, tried on a download and on a server, and
     kept as the next revision. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { blockNavigation } from 'sv-router';
  import { api, ok, problemOf, type Rulebook, type StagedByBook } from '../api/client';
  import type { components } from '../api/generated/schema';
  import { keptArchives, rulebookSchema, servers } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import { count } from '../format';
  import { later } from '../later.svelte';
  import type { Editor } from '../texts/editor';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { navigate } from '../../router';
  import { linesOf } from './check';
  import { suggest } from './suggest';
  import Tried from './Tried.svelte';

  type OnTree = components['schemas']['OnTree'];
  let { book: newest }: { book: Rulebook } = $props();
  // What is being changed is not replaced under a person's hands.
  // svelte-ignore state_referenced_locally
  const book = newest;
  const client = useQueryClient();
  const schema = createQuery(rulebookSchema);
  const archives = createQuery(keptArchives);
  const list = createQuery(servers);
  const keeping = attempting();
  const trying = attempting();
  let text = $state(book.text ?? '');
  let changed = $derived(text !== book.text);
  let wrong = $state<string>();
  let checked = $state(false);
  let asked = $state<{ title: string; about: string }>();
  let archive = $state('');
  let server = $state('');
  let tried = $state<StagedByBook>();
  let onTree = $state<OnTree>();
  let place = $state<HTMLElement>();
  let editor: Editor | undefined;

  // Leaving it, by whatever way, loses nothing unasked.
  let leaving = $state<(go: boolean) => void>();
  $effect(() =>
    blockNavigation({
      beforeUnload: () => !changed,
      onNavigate: () => !changed || new Promise<boolean>((answer) => (leaving = answer))
    })
  );
  function answer(go: boolean) {
    const asked = leaving;
    leaving = undefined;
    asked?.(go);
  }

  $effect(() => {
    const at = place;
    if (!at || !schema.data) return;
    const known = schema.data;
    let gone = false;
    void import('../texts/editor').then(({ open }) => {
      if (gone) return;
      editor = open(at, {
        text,
        format: 'yaml',
        label: `The rulebook ${book.name}`,
        fixed: false,
        changed: (now) => (text = now),
        suggest: (before) => suggest(known, before)
      });
    });
    return () => {
      gone = true;
      editor?.end();
    };
  });

  // It is checked a moment after the last key.
  const typed = later(() => text, 400);
  $effect(() => void check(typed.now));

  async function check(now: string) {
    try {
      await ok(api.POST('/rulebooks/check', { body: { text: now } }));
      if (now !== text) return;
      wrong = undefined;
      editor?.tell([]);
    } catch (e) {
      if (now !== text) return;
      wrong = problemOf(e).detail;
      editor?.tell(linesOf(wrong).map((l) => ({ level: 'warn', code: 'rulebook', ...l })));
    }
    checked = true;
  }

  /** Keeps it; where that would pass over somebody's work, a person is asked first. */
  const keep = (sure: boolean) =>
    void keeping.run('keep', async () => {
      const now = await ok(api.GET('/rulebooks/{name}', { params: { path: { name: book.name } } }));
      if (!sure && now.revision !== book.revision) {
        asked = {
          title: `Revision ${now.revision} was kept meanwhile`,
          about: `${now.actor} has kept it since you began. Yours would be the one after it and would not hold what that one changed. Both stay, and can be compared.`
        };
        return;
      }
      try {
        const kept = await ok(api.POST('/rulebooks', { body: { text, over: sure } }));
        await client.invalidateQueries({ queryKey: ['rulebooks'] });
        await client.invalidateQueries({ queryKey: ['rulebook', kept.name] });
        text = book.text ?? ''; // nothing is lost when this closes
        await navigate('/rulebooks/:name', { params: { name: kept.name } });
      } catch (e) {
        if (problemOf(e).code !== 'others-rulebook' || sure) throw e;
        asked = { title: 'Somebody else wrote it', about: problemOf(e).detail };
      }
    });

  const tryArchive = () =>
    void trying.run('archive', async () => {
      tried = undefined;
      tried = await ok(api.POST('/rulebooks/try', { body: { text, archive } }));
    });
  const tryServer = () =>
    void trying.run('server', async () => {
      onTree = undefined;
      onTree = await ok(api.POST('/rulebooks/read-tree', { body: { text, server } }));
    });
</script>

<div bind:this={place} data-editor></div>
<div class="mt-2 flex flex-wrap items-center gap-3">
  <span class="min-w-0 flex-1 basis-64" role="status" data-check={wrong ? 'wrong' : checked ? 'right' : ''}>
    {#if wrong}{#each linesOf(wrong) as l, i (i)}<button
          type="button"
          class="button quiet block text-left"
          disabled={!l.line}
          onclick={() => l.line && editor?.show(l.line)}>{l.what}</button
        >{/each}
    {:else if checked}It reads as a rulebook.{/if}
  </span>
  <span class="reason">Ctrl Space shows what may stand there</span>
  <Button
    kind="main"
    disabled={!changed || wrong !== undefined || keeping.busy !== ''}
    onclick={() => keep(false)}
    >{keeping.busy ? 'Keeping…' : `Keep it as revision ${newest.revision + 1}`}</Button
  >
</div>
{#if keeping.error}<Trouble error={keeping.error} />{/if}
<Confirm
  bind:open={() => asked !== undefined, (v) => (asked = v ? asked : undefined)}
  title={asked?.title ?? ''}
  about={asked?.about ?? ''}
  word="Keep mine all the same"
  does={async () => {
    asked = undefined;
    keep(true);
  }}
/>

<Confirm
  bind:open={() => leaving !== undefined, (v) => v || answer(false)}
  title="Lose what you have changed?"
  about="This rulebook was changed and not kept as a revision."
  word="Lose it"
  otherwise="Go on here"
  destroys
  does={async () => answer(true)}
/>

<h2 class="mt-5 mb-2">Try it before you keep it</h2>
<div class="flex flex-wrap items-end gap-3">
  <label class="block"
    ><span class="label mb-1 block">On a download</span>
    <select class="input w-auto max-w-[300px]" bind:value={archive}>
      <option value="">choose one</option>
      {#each (archives.data ?? []).filter((a) => !a.dropped) as a (a.archive.digest)}<option
          value={a.archive.digest}>{a.archive.filename}</option
        >{/each}
    </select></label
  >
  <Button disabled={!archive || !!wrong || trying.busy !== ''} onclick={tryArchive}>Lay it out</Button>
  <label class="block"
    ><span class="label mb-1 block">On a server</span>
    <select class="input w-auto" bind:value={server}>
      <option value="">choose one</option>
      {#each list.data ?? [] as s (s.name)}<option value={s.name}>{s.name}</option>{/each}
    </select></label
  >
  <Button disabled={!server || !!wrong || trying.busy !== ''} onclick={tryServer}
    >{trying.busy === 'server' ? 'Looking…' : 'Look at its tree'}</Button
  >
</div>
{#if trying.error}<Trouble error={trying.error} />{/if}
{#if onTree}
  <div class="box mt-3" data-on-tree>
    {#each onTree.places as p (p.name)}
      <div class="row flex flex-wrap gap-x-4 px-4 py-1.5">
        <b class="w-32">{p.name}</b><span class="mono min-w-0 flex-1">{p.path}</span>
        <span class="reason">{p.holds < 0 ? 'is not there' : count(p.holds, 'thing')}</span>
      </div>
    {/each}
    {#each onTree.addons as a (a.path)}
      <div class="row flex flex-wrap gap-x-4 px-4 py-1.5">
        <b class="w-32">{a.kind}</b><span class="min-w-0 flex-1"
          >{a.name} <span class="mono">{a.version ?? ''}</span></span
        >
        <span class="mono reason">{a.path}</span>
      </div>
    {:else}<p class="px-4 py-2 text-ink-soft">Nothing there looks like an add-on by its name.</p>{/each}
  </div>
{/if}
{#if tried}<Tried
    {tried}
    filename={archives.data?.find((a) => a.archive.digest === archive)?.archive.filename ?? ''}
  />{/if}
