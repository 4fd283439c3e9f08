<!-- Saying where files of a crate go, for this version and later ones. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Crate, type Place } from '../api/client';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
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

  async function put(where: { place?: string; as?: string }) {
    const now = await ok(
      api.POST('/crates/{crate}/place', {
        params: { path: { crate: crate.digest } },
        body: { glob: take, ...where }
      })
    );
    await client.invalidateQueries({ queryKey: ['crates'] });
    const next = now.items.find((c) => c.name === crate.name) ?? now.items[0];
    return () => next && navigate('/crates/:digest', { params: { digest: next.digest } });
  }
</script>

<FormSheet
  bind:open
  title="Where do they go?"
  about="Kept as a rule: later versions of {crate.name} are laid out the same."
  words={['Place them', 'Laying out…']}
  send={() => put({ place: chosen, as })}
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
  {#snippet more(busy, run)}
    <Button disabled={busy} onclick={() => run(() => put({}))}>Leave them out</Button>
  {/snippet}
</FormSheet>
