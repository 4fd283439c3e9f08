<!-- The add-ons that lie on a server and were not deployed. What is chosen is taken in by one draft,
     which does nothing to the server. -->
<script lang="ts">
  import { api, ok, type AddonFound, type Adoptable } from '../api/client';
  import { result } from '../api/jobs';
  import { attempting } from '../attempt.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { count, size } from '../format';
  import Button from '../ui/Button.svelte';
  import PathText from '../ui/PathText.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { remarks, sure } from './adopt';

  let { server }: { server: string } = $props();
  const drafting = new Drafting();
  const looking = attempting();
  let found = $state<Adoptable>();
  let all = $derived((found?.found ?? []).filter(sure).map((f) => f.path));

  const look = () =>
    looking.run('look', async () => {
      found = await result<Adoptable>(
        await ok(api.POST('/servers/{server}/adoptable', { params: { path: { server } } }))
      );
    });
  const take = (paths: string[]) => drafting.start(server, { adopt: paths });
  const remove = (f: AddonFound) => drafting.start(server, { settle: [{ path: f.path, do: 'remove' }] });
</script>

<section class="mt-6" data-adopt>
  <div class="mb-2 flex flex-wrap items-center gap-3">
    <h2>Put there by hand</h2>
    <span class="reason min-w-0 flex-1 max-sm:basis-full"
      >Add-ons that nobody deployed can be taken in as they lie there: from then on they are updated, gone
      back to and removed like the others.</span
    >
    <Button disabled={looking.busy !== ''} onclick={look}
      >{looking.busy ? 'Looking…' : found ? 'Look again' : 'Look for add-ons'}</Button
    >
  </div>
  {#if looking.error}<Trouble error={looking.error} />{/if}
  <DraftingNote {drafting} />
  {#if found}
    <div class="border border-rule">
      {#each found.found as f (f.path)}
        <div class="row px-4 py-2" data-found={f.path}>
          <div class="flex flex-wrap items-baseline gap-x-3.5 gap-y-1">
            <span class="min-w-0 flex-1 basis-64"
              ><b>{f.name}</b> <span class="mono">{f.version}</span> <span class="label">{f.kind}</span>
              <PathText path={f.path} />
              <span class="reason"
                >{count(f.files, 'file')}, {size(f.bytes)} · {f.from}{#if f.loaded}
                  · loaded{:else if f.listed}
                  · named in {f.listed}{/if}</span
              ></span
            >
            <span class="flex flex-wrap gap-x-1">
              {#if !f.deep && f.from !== 'its name alone'}
                <Button kind="quiet" disabled={drafting.busy} onclick={() => take([f.path])}
                  >Take it in</Button
                >
              {/if}
              <Button kind="quiet" disabled={drafting.busy} onclick={() => remove(f)}
                >Take off the server</Button
              >
            </span>
          </div>
          {#each remarks(f) as said (said)}<p class="reason">{said}</p>{/each}
        </div>
      {:else}
        <p class="px-4 py-3 text-ink-soft">
          Nothing lies there that looks like an add-on and was not deployed.
        </p>
      {/each}
      {#each found.nowhere as f (f.code + f.what)}
        <p class="row px-4 py-2">{f.what} <span class="text-ink-soft">{f.mend}</span></p>
      {/each}
      {#if found.strays.length}
        <p class="row px-4 py-2 text-ink-soft">
          Belongs to nothing that was found: {found.strays.join(', ')}
        </p>
      {/if}
    </div>
    {#if all.length > 1}
      <div class="mt-2">
        <Button disabled={drafting.busy} onclick={() => take(all)}
          >Take in all {all.length} that are clear</Button
        >
      </div>
    {/if}
  {/if}
</section>
