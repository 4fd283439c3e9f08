<!-- Saying what a crate is called: the name for later versions too, the version for its archive. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Crate } from '../api/client';
  import { Attempt } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Trouble from '../ui/Trouble.svelte';

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
  const attempt = new Attempt();

  async function save(e: SubmitEvent) {
    e.preventDefault();
    const body = changed;
    await attempt.run('send', async () => {
      const now = await ok(
        api.POST('/crates/{crate}/set', { params: { path: { crate: crate.digest } }, body })
      );
      await client.invalidateQueries({ queryKey: ['crates'] });
      open = false;
      const next = now.items.find((c) => c.name === name) ?? now.items[0];
      if (next) await navigate('/crates/:digest', { params: { digest: next.digest } });
    });
  }
</script>

<Sheet bind:open title="What is it called?">
  <form class="space-y-3.5" onsubmit={save}>
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
    {#if attempt.error}<Trouble error={attempt.error} />{/if}
    <Button kind="main" type="submit" disabled={attempt.busy !== '' || Object.keys(changed).length === 0}
      >{attempt.busy ? 'Laying out…' : 'Save'}</Button
    >
  </form>
</Sheet>
