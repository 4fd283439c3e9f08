<!-- A download that the service makes itself: its address, and the digest that its host tells of it. -->
<script lang="ts">
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import type { Wanted } from './fetches.svelte';

  let { open = $bindable(), take }: { open: boolean; take: (wanted: Wanted) => void } = $props();
  let url = $state('');
  let sha256 = $state('');

  const send = () =>
    Promise.resolve(() => {
      take({ url: url.trim(), sha256: sha256.trim() || undefined });
      url = sha256 = '';
    });
</script>

<FormSheet
  bind:open
  title="Download from an address"
  about="The service downloads it, keeps it unchanged and lays it out, as if you had dropped it here. Where the line breaks, it goes on where it stopped."
  words={['Download it', 'Asking…']}
  disabled={!url.trim()}
  {send}
>
  <Labelled label="Address" help="Of the file itself, not of a page that leads to it: https://…">
    <input class="input mono" type="url" required bind:value={url} />
  </Labelled>
  <Labelled label="SHA-256, if its host tells it" help="What comes with other bytes is not staged.">
    <input
      class="input mono"
      pattern="[0-9a-fA-F]{'{64}'}"
      title="64 hexadecimal digits"
      bind:value={sha256}
    />
  </Labelled>
</FormSheet>
