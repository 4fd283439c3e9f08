<!-- The title and the words of a packing list. -->
<script lang="ts">
  import { api, ok } from '../api/client';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';

  interface Props {
    open: boolean;
    server: string;
    title: string;
    words: string;
    done: () => Promise<unknown>;
  }
  let { open = $bindable(), server, title, words, done }: Props = $props();
  let mine = $state({ title: '', words: '' });
  $effect(() => {
    if (open) mine = { title, words };
  });
  async function send() {
    await ok(api.PATCH('/servers/{server}/packlist', { params: { path: { server } }, body: mine }));
    await done();
  }
</script>

<FormSheet bind:open title="What players read first" words={['Keep it', 'Keeping…']} {send}>
  <Labelled label="Title"><input class="input" maxlength="200" bind:value={mine.title} /></Labelled>
  <Labelled label="Words" help="How to join, whom to ask, what to bring.">
    <textarea class="input" rows="6" bind:value={mine.words}></textarea>
  </Labelled>
</FormSheet>
