<!-- An add-on without a download: only an id that the server's list holds. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Rulebook } from '../api/client';
  import Labelled from '../ui/Labelled.svelte';
  import FormSheet from '../ui/FormSheet.svelte';

  let { open = $bindable(), books }: { open: boolean; books: Rulebook[] } = $props();
  const client = useQueryClient();
  let book = $state('');
  let chosen = $derived(book || (books[0]?.name ?? ''));
  let id = $state('');

  async function send() {
    const crate = await ok(api.POST('/crates', { body: { id: id.trim(), rulebook: chosen } }));
    await client.invalidateQueries({ queryKey: ['crates'] });
    return () => navigate('/crates/:digest', { params: { digest: crate.digest } });
  }
</script>

<FormSheet
  bind:open
  title="An add-on without a download"
  about="Some servers fetch an add-on themselves, by an id that a list holds."
  words={['Keep it', 'Keeping…']}
  {send}
>
  <Labelled label="Game">
    <select class="input" bind:value={() => chosen, (v) => (book = v)}>
      {#each books as b (b.name)}<option value={b.name}>{b.title}</option>{/each}
    </select>
  </Labelled>
  <Labelled label="Id" help="As the server's list holds it.">
    <input class="input mono" required bind:value={id} />
  </Labelled>
</FormSheet>
