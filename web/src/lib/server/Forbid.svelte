<!-- Something that players must not have, which need not be on the server. -->
<script lang="ts">
  import { api, ok } from '../api/client';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';

  let {
    open = $bindable(),
    server,
    done
  }: { open: boolean; server: string; done: () => Promise<unknown> } = $props();
  let name = $state('');
  let note = $state('');
  async function send() {
    await ok(
      api.PATCH('/servers/{server}/packlist', {
        params: { path: { server } },
        body: { addons: [{ addon: name.trim(), need: 'must-not', note: note.trim() || undefined }] }
      })
    );
    await done();
    name = note = '';
  }
</script>

<FormSheet
  bind:open
  title="What players must not have"
  about="It is looked for in their own folder by its name, whatever its version."
  words={['Add it', 'Adding…']}
  {send}
>
  <Labelled label="Name"><input class="input" required bind:value={name} /></Labelled>
  <Labelled label="Why"><input class="input" bind:value={note} /></Labelled>
</FormSheet>
