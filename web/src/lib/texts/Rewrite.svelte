<!-- Changes a name in all of a server's texts: every place in which it stands is shown, and those that are
     ticked change, in one draft. -->
<script lang="ts">
  import { SvelteMap, SvelteSet } from 'svelte/reactivity';
  import { api, ok } from '../api/client';
  import { attempting } from '../attempt.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { count } from '../format';
  import { groupBy } from '../staging/fold';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { changesBefore, keyOf, rewrites, type NamedIn, type NamePlace } from './rewrite';

  let { open = $bindable(), server }: { open: boolean; server: string } = $props();
  const looking = attempting();
  const drafting = new Drafting();
  let from = $state('');
  let to = $state('');
  let longer = $state(false);
  let renamed = $state(false);
  let found = $state.raw<NamedIn>();
  let asked = $state({ from: '', to: '', longer: false }); // what was looked for
  const few = 6; // places of one text that are shown before somebody asks for all
  const whole = new SvelteSet<string>();
  const said = new SvelteMap<string, boolean>();
  const changes = (p: NamePlace) => !p.log && (said.get(keyOf(p)) ?? changesBefore(p, renamed));
  let texts = $derived(groupBy(found?.places ?? [], (p) => p.path));
  let chosen = $derived((found?.places ?? []).filter(changes));
  let moves = $derived(renamed ? (found?.moves ?? []) : []);
  let newer = $derived(from.trim() !== asked.from || to.trim() !== asked.to || longer !== asked.longer);

  function look(e: SubmitEvent) {
    e.preventDefault();
    void looking.run('look', async () => {
      const query = { name: from.trim(), to: to.trim(), longer };
      found = await ok(api.GET('/servers/{server}/named', { params: { path: { server }, query } }));
      asked = { from: query.name, to: query.to, longer };
      said.clear();
      whole.clear();
    });
  }

  async function draft() {
    const tweaks = found ? rewrites(found, changes) : [];
    if (await drafting.start(server, { moves, tweaks })) open = false;
  }
</script>

<Sheet
  bind:open
  title="Change a name everywhere"
  about="Every place in which it stands is shown first. What you leave ticked changes in one draft, with one way back."
  wide
>
  <form class="flex flex-wrap items-end gap-3" onsubmit={look}>
    <Labelled label="The name now"><input class="input mono" required bind:value={from} /></Labelled>
    <Labelled label="The new name"><input class="input mono" required bind:value={to} /></Labelled>
    <div class="pb-1.5"><Tick bind:checked={longer}>Within longer names too</Tick></div>
    <Button
      kind={found && !newer ? 'plain' : 'main'}
      type="submit"
      disabled={!!looking.busy || !from.trim() || !to.trim()}
      >{looking.busy ? 'Looking in every text…' : 'See where it stands'}</Button
    >
  </form>
  {#if looking.error}<Trouble error={looking.error} />{/if}
  {#if found}
    <p class="mt-3 mb-1.5" role="status">
      {#if found.places.length}“{asked.from}” stands in {count(found.places.length, 'place')}; {count(
          found.texts,
          'text'
        )} searched.{:else}“{asked.from}” stands in none of {count(found.texts, 'text')}{asked.longer
          ? ''
          : ' as a whole name'}.{/if}
    </p>
    {#if texts.length}
      <div class="max-h-[42vh] overflow-y-auto border border-rule" data-places>
        {#each texts as [path, all] (path)}
          <div class="row px-3 py-1.5">
            <div class="flex min-h-6 flex-wrap items-center gap-x-2">
              {#if all.length > 1 && !all[0]!.log}<Tick
                  checked={all.every(changes)}
                  onchange={(is) => all.forEach((p) => said.set(keyOf(p), is))}
                  label="Change all of {path}"
                />{/if}
              <b class="mono [overflow-wrap:anywhere]">{path}</b>
              <span class="reason"
                >{all[0]!.log
                  ? 'the log, which tells what was: it stays'
                  : all[0]!.listed
                    ? 'names what the server loads'
                    : all[0]!.owners.join(', ') || 'the server’s own'}</span
              >
            </div>
            {#each whole.has(path) ? all : all.slice(0, few) as p (keyOf(p))}
              <div class="flex min-h-6 items-start gap-2">
                {#if !p.log}<Tick
                    checked={changes(p)}
                    onchange={(is) => void said.set(keyOf(p), is)}
                    label="Change line {p.line} of {p.path}"
                  />{/if}
                <span class="mono min-w-0 [overflow-wrap:anywhere]"
                  ><span class="text-ink-soft">{p.line}</span> {p.text}</span
                >
              </div>
            {/each}
            {#if all.length > few && !whole.has(path)}
              <Button kind="quiet" label="Show all places of {path}" onclick={() => void whole.add(path)}
                >{all.length - few} more…</Button
              >
            {/if}
          </div>
        {/each}
      </div>
    {/if}
    {#if found.paths.length}
      <div class="mt-2">
        <Tick bind:checked={renamed}
          >Rename what is called so too, and what names the things that the server loads</Tick
        >
        {#if moves.length}
          <ul class="mono mt-1">
            {#each moves as m (m.from)}<li class="[overflow-wrap:anywhere]">{m.from} → {m.to}</li>{/each}
          </ul>
        {:else}
          <p class="reason">{found.paths.slice(0, 8).join(', ')}</p>
        {/if}
      </div>
    {/if}
    {#if found.binary.length}
      <p class="reason mt-1">
        These hold it and are no texts, so they stay: {found.binary.slice(0, 8).join(', ')}
      </p>
    {/if}
    <DraftingNote {drafting} />
    {#if found.places.length || found.paths.length}<div class="mt-3">
        <Button
          kind="main"
          disabled={drafting.busy || newer || chosen.length + moves.length === 0}
          onclick={draft}
          >{drafting.busy
            ? 'Looking at the server…'
            : `Draft ${count(chosen.length + moves.length, 'change')}`}</Button
        >
      </div>{/if}
  {/if}
</Sheet>
