<!-- A crate beside another of the same add-on: what differs, and making one of the two. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Crate } from '../api/client';
  import { crates } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import { count, size } from '../format';
  import { neighbours } from '../deploy/versions';
  import { settled } from '../ui/back';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import PathText from '../ui/PathText.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { open = $bindable(), crate }: { open: boolean; crate: Crate } = $props();
  const client = useQueryClient();
  const list = createQuery(() => ({ ...crates(crate.rulebook), enabled: open }));
  let others = $derived((list.data ?? []).filter((c) => c.digest !== crate.digest));
  let same = $derived(
    neighbours(
      crate.version,
      others.filter((c) => c.name === crate.name)
    )
  );
  let picked = $state('');
  let other = $derived(picked || (same[0]?.digest ?? others[0]?.digest ?? ''));
  const diff = createQuery(() => ({
    queryKey: ['compare', crate.digest, other],
    enabled: open && other !== '',
    queryFn: () =>
      ok(
        api.GET('/crates/{crate}/compare', {
          params: { path: { crate: crate.digest }, query: { with: other } }
        })
      )
  }));
  const attempt = attempting();

  async function join() {
    await attempt.run('send', async () => {
      const made = await ok(
        api.POST('/crates/{crate}/join', { params: { path: { crate: crate.digest } }, body: { with: other } })
      );
      await client.invalidateQueries({ queryKey: ['crates'] });
      open = false;
      await settled();
      await navigate('/crates/:digest', { params: { digest: made.digest } });
    });
  }
</script>

<Sheet bind:open title="{crate.label} beside another crate" wide>
  {#if list.data && others.length === 0}
    <p>No other crate of {crate.rulebook} is staged.</p>
  {:else}
    <Labelled label="The other crate">
      <select class="input" bind:value={() => other, (v) => (picked = v)}>
        {#each [...same, ...others.filter((c) => c.name !== crate.name)] as c (c.digest)}
          <option value={c.digest}>{c.ref} ({c.archives.map((a) => a.filename).join(', ')})</option>
        {/each}
      </select>
    </Labelled>
    {#if diff.error}<Trouble error={diff.error} />{/if}
    {#if diff.data}
      {@const d = diff.data}
      <p class="mt-3.5 mb-1.5">
        From {d.old} to {d.new}: {count(d.same, 'file')} the same{d.files.length ? ', and' : '.'}
      </p>
      {#if d.files.length}
        <div class="box">
          {#each d.files as f (f.kind + f.place + f.path)}
            <div class="row flex flex-wrap items-baseline gap-x-3 px-3 py-1.5">
              <span class="label w-20 max-md:basis-full">{f.kind}</span>
              <span class="min-w-0 flex-1"
                ><PathText path="{f.place}: {f.path}" />
                {#if f.from}<span class="reason">from {f.fromPlace}: {f.from}</span>{/if}</span
              >
              <span class="reason">{size(f.size)}</span>
            </div>
          {/each}
        </div>
      {/if}
    {/if}
    {#if attempt.error}<Trouble error={attempt.error} />{/if}
    <div class="mt-4">
      <Button disabled={attempt.busy !== '' || other === ''} onclick={join}
        >{attempt.busy ? 'Joining…' : `Make one crate of both, called ${crate.label}`}</Button
      >
      <span class="reason mt-1 block"
        >For one add-on that comes in two downloads. The two stay in the list.</span
      >
    </div>
  {/if}
</Sheet>
