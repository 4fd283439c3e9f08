<!-- Saying what a crate is called: the name for later versions too, the version for its archive. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Crate } from '../api/client';
  import Labelled from '../ui/Labelled.svelte';
  import FormSheet from '../ui/FormSheet.svelte';

  let { open = $bindable(), crate }: { open: boolean; crate: Crate } = $props();
  const client = useQueryClient();
  let name = $derived(crate.name);
  let version = $derived(crate.version);
  let base = $derived(crate.base ?? '');
  let changed = $derived({
    ...(name !== crate.name && { name }),
    ...(version !== crate.version && { version }),
    ...(base !== (crate.base ?? '') && { base })
  });

  async function send() {
    const now = await ok(
      api.POST('/crates/{crate}/set', { params: { path: { crate: crate.digest } }, body: changed })
    );
    await client.invalidateQueries({ queryKey: ['crates'] });
    const next = now.items.find((c) => c.name === name) ?? now.items[0];
    return () => next && navigate('/crates/:digest', { params: { digest: next.digest } });
  }
</script>

<FormSheet
  bind:open
  title="What is it called?"
  words={['Save', 'Laying out…']}
  {send}
  disabled={Object.keys(changed).length === 0}
>
  <Labelled
    label="Name"
    help="{crate.nameFrom ? `Read from ${crate.nameFrom}. ` : ''}A name is kept for later versions too."
  >
    <input class="input" required bind:value={name} />
  </Labelled>
  <Labelled
    label="Version"
    help="{crate.versionFrom
      ? `Read from ${crate.versionFrom}. `
      : ''}A version is said of this archive alone."
  >
    <input class="input mono" required bind:value={version} />
  </Labelled>
  {#if crate.overlay}
    <Labelled label="Changes the add-on" help="Its files are laid over that one’s, in later versions too.">
      <input class="input" required bind:value={base} />
    </Labelled>
  {/if}
</FormSheet>
