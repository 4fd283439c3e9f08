<!-- Choosing what goes onto a server: one version of each add-on, and how it is done. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { p } from '../../router';
  import { api, ok, type Addon, type Server } from '../api/client';
  import { crates, pallets } from '../api/queries';
  import { count } from '../format';
  import { without } from '../without';
  import Button from '../ui/Button.svelte';
  import Filter from '../ui/Filter.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import CrateParts from './CrateParts.svelte';
  import DraftingNote from './DraftingNote.svelte';
  import { Drafting } from './drafting.svelte';
  import { KeptWish } from './kept.svelte';
  import { askOf, names, offers, type Offer, type Wish } from './wish';
  import WishHow from './WishHow.svelte';

  interface Props {
    open: boolean;
    server: Server;
    addons: Addon[];
    /** What an earlier draft was asked with, to be asked otherwise. */
    change?: Wish;
  }
  let { open = $bindable(), server, addons, change }: Props = $props();

  const list = createQuery(() => ({ ...crates(server.rulebook), enabled: open }));
  const packs = createQuery(() => ({ ...pallets(server.rulebook), enabled: open }));
  const drafting = new Drafting();
  const wish = new KeptWish();
  $effect(() => {
    if (open) wish.open(server.name, change);
    else drafting.cancel(); // nobody waits for it any more
  });
  $effect(() => {
    JSON.stringify(wish.now); // whatever of it changes
    if (open) wish.keep();
  });

  let find = $state('');
  let how = $state(false);
  let wanted = $derived(find.trim().toLowerCase());
  let all = $derived(offers(list.data ?? [], addons, server.name));
  let shown = $derived(all.filter((o) => o.crates.some((c) => c.label.toLowerCase().includes(wanted))));
  let shownPacks = $derived((packs.data ?? []).filter((p) => p.label.toLowerCase().includes(wanted)));
  let n = $derived(Object.keys(wish.now.crates).length + wish.now.pallets.length);

  const chosen = (o: Offer) => o.crates.find((c) => names(wish.now.crates[o.name], c));

  function turn(o: Offer, on: boolean) {
    if (on) wish.now.crates[o.name] = o.first.ref;
    else wish.now.crates = without(wish.now.crates, o.name);
  }

  async function draft() {
    const { instead } = wish.now;
    if (!(await drafting.start(server.name, askOf(wish.now)))) return;
    wish.done();
    open = false;
    if (instead === undefined) return;
    const params = { path: { server: server.name, number: instead } };
    try {
      await ok(api.DELETE('/servers/{server}/deployments/{number}', { params }));
    } catch (e) {
      drafting.error = e; // the new draft is there; the old one was run or given up meanwhile
    }
  }
</script>

<Sheet
  bind:open
  title={change ? `Choose otherwise for ${server.name}` : `Deploy to ${server.name}`}
  about="Choose what is to be there. The server is looked at and a draft is shown; nothing is touched before you run it."
  wide
>
  {#if list.error}<Trouble error={list.error} />{/if}
  {#if list.data?.length === 0}
    <p class="mb-3">Nothing is staged for the rulebook {server.rulebook} yet.</p>
    <Button kind="main" href={p('/staging')}>Stage a download</Button>
  {:else if list.data}
    <div class="mb-2"><Filter bind:find label="Find an add-on" /></div>
    <div class="box max-h-[46vh] overflow-y-auto" data-offers>
      {#each shownPacks as p (p.label)}
        <div class="row flex flex-wrap items-center gap-x-3 px-3 py-1.5">
          <Tick
            checked={wish.now.pallets.includes(p.label)}
            onchange={(on) =>
              (wish.now.pallets = on
                ? [...wish.now.pallets, p.label]
                : wish.now.pallets.filter((l) => l !== p.label))}
          >
            <b>{p.name}</b> <span class="mono">{p.version}</span>
          </Tick>
          <span class="label">pallet</span>
          <span class="reason ml-auto" title={p.crates.join(', ')}
            >{count(p.crates.length, 'add-on')} together</span
          >
        </div>
      {/each}
      {#each shown as o (o.name)}
        {@const c = chosen(o)}
        <div class="row px-3 py-1.5" data-offer={o.name}>
          <div class="flex flex-wrap items-center gap-x-3 gap-y-1">
            <Tick checked={c !== undefined} onchange={(on) => turn(o, on)}
              ><b>{o.name}</b>
              {#if o.crates.length === 1}<span class="mono">{o.first.version}</span>{/if}</Tick
            >
            {#if o.crates.length > 1}
              <select
                class="input mono min-h-6 w-auto py-0"
                aria-label="Version of {o.name}"
                value={(c ?? o.first).ref}
                onchange={(e) => (wish.now.crates[o.name] = e.currentTarget.value)}
              >
                {#each o.crates as v (v.digest)}<option value={v.ref}>{v.version || v.label}</option>{/each}
              </select>
            {/if}
            {#if o.isNewer}<span class="level note-ink px-2">newer</span>{/if}
            <span class="reason">{o.has ? `${o.has.version ?? 'some version'} is there` : ''}</span>
            <span class="reason ml-auto">{count((c ?? o.first).fileCount, 'file')}</span>
          </div>
          {#if o.unfit}<div class="pl-7">
              <span class="block-ink">does not fit</span>: <span class="reason">{o.unfit}</span>
            </div>{/if}
          {#if c}<CrateParts digest={c.digest} addon={o.name} bind:parts={wish.now.parts} />{/if}
        </div>
      {:else}
        <p class="p-3 text-ink-soft">No add-on has “{find}” in its name.</p>
      {/each}
    </div>
    <button type="button" class="button quiet mt-2" aria-expanded={how} onclick={() => (how = !how)}
      >{how ? '−' : '+'} How it is done</button
    >
    {#if how}<WishHow bind:wish={wish.now} {server} />{/if}
    <DraftingNote {drafting} />
    <div class="mt-3 flex flex-wrap items-center gap-3">
      <Button kind="main" disabled={n === 0 || drafting.busy} onclick={() => void draft()}>Draft it</Button>
      <span class="text-ink-soft" role="status">{n ? `${n} chosen` : 'none chosen'}</span>
      {#if n}<Button
          kind="quiet"
          onclick={() => (wish.now = { ...wish.now, crates: {}, pallets: [], parts: {} })}>Choose none</Button
        >{/if}
    </div>
  {/if}
</Sheet>
