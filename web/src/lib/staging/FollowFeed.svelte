<!-- A feed to follow: its address, by which rulebook, and who has to have signed it. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import { result } from '../api/jobs';
  import { rulebooks } from '../api/queries';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';

  let { open = $bindable() }: { open: boolean } = $props();
  const client = useQueryClient();
  const books = createQuery(rulebooks);
  let url = $state('');
  let name = $state('');
  let book = $state('');
  let key = $state('');
  let chosen = $derived(book || (books.data?.[0]?.name ?? ''));

  async function send() {
    const job = await ok(
      api.POST('/feeds', {
        body: { name: name.trim(), url: url.trim(), rulebook: chosen, key: key.trim() || undefined }
      })
    );
    await result(job);
    await client.invalidateQueries({ queryKey: ['crates'] });
    url = name = key = '';
    return () => {};
  }
</script>

<FormSheet
  bind:open
  title="Follow a feed"
  about="It is read now, and every six hours from now on. Nothing is deployed by itself."
  words={['Follow it', 'Reading it…']}
  {send}
>
  <Labelled label="Address"><input class="input mono" type="url" required bind:value={url} /></Labelled>
  <Labelled label="Name" help="Your own: lower-case letters, digits and hyphens.">
    <input class="input mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="31" bind:value={name} />
  </Labelled>
  <Labelled label="Game">
    <select class="input" bind:value={() => chosen, (v) => (book = v)}>
      {#each books.data ?? [] as b (b.name)}<option value={b.name}>{b.title}</option>{/each}
    </select>
  </Labelled>
  <Labelled label="Public key" help="Of minisign, if its authors sign it: nothing else is believed then.">
    <input class="input mono" bind:value={key} />
  </Labelled>
</FormSheet>
