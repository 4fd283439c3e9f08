<!-- Taking what was tried on another server to this one: its add-ons, and the values that are chosen,
     as one draft. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, ok, type Promotion, type Server } from '../api/client';
  import { result } from '../api/jobs';
  import { servers } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { count } from '../format';
  import Button from '../ui/Button.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { askFor, valueKey } from './bring';

  let { open = $bindable(), server }: { open: boolean; server: Server } = $props();
  const list = createQuery(() => ({ ...servers(), enabled: open }));
  const act = attempting();
  const drafting = new Drafting();
  let others = $derived(
    (list.data ?? []).filter((s) => s.rulebook === server.rulebook && s.name !== server.name)
  );
  let from = $state('');
  let found = $state<Promotion>();
  let words = $state('');
  let addons = $state<string[]>([]);
  let values = $state<string[]>([]);
  let remove = $state<string[]>([]);
  $effect(() => {
    if (open) [from, found] = ['', undefined];
    else drafting.cancel();
  });

  const look = () =>
    void act.run('look', async () => {
      found = undefined;
      const job = await ok(
        api.POST('/servers/{server}/promotion', {
          params: { path: { server: server.name }, query: { from } }
        })
      );
      found = await result<Promotion>(job, (e) => (words = e.data.text ?? words));
      words = '';
      addons = found.addons.map((a) => a.name);
      values = [];
      remove = [];
    });
  const turn = (of: string[], it: string, on: boolean) => (on ? [...of, it] : of.filter((x) => x !== it));

  const apart = (v: Promotion['values'][number]) =>
    void act.run('apart', async () => {
      await ok(
        api.PUT('/servers/{server}/apart', {
          params: { path: { server: server.name } },
          body: { from, path: v.path, value: v.value, keep: !v.apart }
        })
      );
      v.apart = !v.apart;
      if (v.apart) values = values.filter((k) => k !== valueKey(v));
    });

  async function draft() {
    if (await drafting.start(server.name, askFor(found!, { addons, values, remove }))) open = false;
  }
</script>

<Sheet
  bind:open
  title="Bring to {server.name} from another server"
  about="Both servers are looked at. What you choose becomes one draft for {server.name}; nothing is done to the other one."
  wide
>
  {#if list.data && others.length === 0}
    <p>No other server uses the rulebook {server.rulebook}.</p>
  {:else}
    <div class="flex flex-wrap items-end gap-3">
      <label class="block"
        ><span class="label mb-1 block">From</span>
        <select class="input w-auto" bind:value={from} onchange={() => (found = undefined)}>
          <option value="">choose one</option>
          {#each others as s (s.name)}<option value={s.name}>{s.name}</option>{/each}
        </select></label
      >
      <Button disabled={!from || act.busy !== ''} onclick={look}
        >{act.busy === 'look' ? words || 'Looking at both…' : 'Look at both'}</Button
      >
    </div>
  {/if}
  {#if act.error}<Trouble error={act.error} />{/if}
  {#if found}
    {@const f = found}
    {#if f.addons.length + f.values.length + (f.others?.length ?? 0) === 0}
      <p class="mt-3" role="status">Both hold the same.</p>
    {/if}
    {#if f.addons.length}
      <h3 class="label mt-4 mb-1">Add-ons</h3>
      <div class="box">
        {#each f.addons as a (a.name)}
          <div class="row flex flex-wrap items-center gap-x-3 px-3 py-1.5" data-bring={a.name}>
            <Tick checked={addons.includes(a.name)} onchange={(on) => (addons = turn(addons, a.name, on))}
              ><b>{a.name}</b> <span class="mono">{a.version}</span></Tick
            >
            <span class="reason">{a.was ? `${a.was} is here` : 'not here yet'}</span>
          </div>
        {/each}
      </div>
    {/if}
    {#if f.others?.length}
      <h3 class="label mt-4 mb-1">Only here; they stay unless you tick them</h3>
      <div class="box">
        {#each f.others as a (a.name)}
          <div class="row px-3 py-1.5">
            <Tick checked={remove.includes(a.name)} onchange={(on) => (remove = turn(remove, a.name, on))}
              >take off <b>{a.name}</b> <span class="mono">{a.version}</span></Tick
            >
          </div>
        {/each}
      </div>
    {/if}
    {#if f.values.length}
      <h3 class="label mt-4 mb-1">Values that read otherwise; tick those that go along</h3>
      <div class="box max-h-[34vh] overflow-y-auto">
        {#each f.values as v (valueKey(v))}
          <div class="row flex flex-wrap items-center gap-x-3 gap-y-1 px-3 py-1.5" data-value={v.value}>
            <Tick
              checked={values.includes(valueKey(v))}
              label="Take {v.value} of {v.path} along"
              onchange={(on) => (values = turn(values, valueKey(v), on))}
            />
            <span class="mono min-w-0 flex-1 basis-56 [overflow-wrap:anywhere]">{v.path} {v.value}</span>
            <span class="mono [overflow-wrap:anywhere]">{v.to} → {v.from}</span>
            <Button kind="quiet" label="{v.value} of {v.path} differs on purpose" onclick={() => apart(v)}
              >{v.apart ? 'Differs on purpose' : 'Leave it for good'}</Button
            >
          </div>
        {/each}
      </div>
    {/if}
    {#if f.secrets}<p class="reason mt-2">
        {count(f.secrets, 'secret value')} differ; they never go along.
      </p>{/if}
    <DraftingNote {drafting} />
    <div class="mt-3">
      <Button
        kind="main"
        disabled={drafting.busy || addons.length + values.length + remove.length === 0}
        onclick={() => void draft()}>Draft it</Button
      >
    </div>
  {/if}
</Sheet>
