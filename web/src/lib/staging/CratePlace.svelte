<!-- Saying where files of a crate go, for this version and later ones. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Crate, type Place } from '../api/client';
  import { Attempt } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { nearest } from './nearest';

  interface Props {
    open: boolean;
    crate: Crate;
    places: Place[];
    /** Over paths below the add-on's root. */
    glob: string;
  }
  let { open = $bindable(), crate, places, glob }: Props = $props();

  const client = useQueryClient();
  let take = $derived(glob);
  let place = $state('');
  let chosen = $derived(place || (places[0]?.name ?? ''));
  // The best first guess is how the crate's other files are placed there.
  let as = $derived(nearest(crate, chosen));
  const attempt = new Attempt();

  async function send(where: { place?: string; as?: string }) {
    await attempt.run('send', async () => {
      const now = await ok(
        api.POST('/crates/{crate}/place', {
          params: { path: { crate: crate.digest } },
          body: { glob: take, ...where }
        })
      );
      await client.invalidateQueries({ queryKey: ['crates'] });
      open = false;
      const next = now.items.find((c) => c.name === crate.name) ?? now.items[0];
      if (next) await navigate('/crates/:digest', { params: { digest: next.digest } });
    });
  }
</script>

<Sheet
  bind:open
  title="Where do they go?"
  about="Kept as a rule: later versions of {crate.name} are laid out the same."
>
  <form
    class="space-y-3.5"
    onsubmit={(e) => {
      e.preventDefault();
      void send({ place: chosen, as });
    }}
  >
    <Labelled label="Files" help="Below the add-on's root; * stands for a name, ** for any folders.">
      <input class="input mono" required bind:value={take} />
    </Labelled>
    <Labelled label="Place">
      <select class="input" bind:value={() => chosen, (v) => (place = v)}>
        {#each places as p (p.name)}<option value={p.name}>{p.name} ({p.path})</option>{/each}
      </select>
    </Labelled>
    <Labelled
      label="Path in the place"
      help={'{name} is the add-on, {file} the file’s own name, {path} its path below the root.'}
    >
      <input class="input mono" required bind:value={as} />
    </Labelled>
    {#if attempt.error}<Trouble error={attempt.error} />{/if}
    <div class="flex gap-3">
      <Button kind="main" type="submit" disabled={attempt.busy !== ''}
        >{attempt.busy ? 'Laying out…' : 'Place them'}</Button
      >
      <Button disabled={attempt.busy !== ''} onclick={() => send({})}>Leave them out</Button>
    </div>
  </form>
</Sheet>
