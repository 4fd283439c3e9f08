<!-- Taking corrections of an add-on back: its crates are laid out again without them. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok, type Crate } from '../api/client';
  import FormSheet from '../ui/FormSheet.svelte';
  import Tick from '../ui/Tick.svelte';

  let { open = $bindable(), crate }: { open: boolean; crate: Crate } = $props();
  const client = useQueryClient();
  const kinds = [
    ['name', 'what it is called'],
    ['version', 'which version it is'],
    ['files', 'where its files go'],
    ['root', 'which folder of its archive it is'],
    ['base', 'which add-on it changes'],
    ['apart', 'that it is told apart from add-ons of other kinds']
  ] as const;
  // A crate that was laid out long ago does not tell of which kind its corrections are.
  let made = $derived(kinds.filter(([kind]) => crate.corrects?.includes(kind) ?? true));
  let chosen = $state<Record<string, boolean>>({});

  async function send() {
    const body = Object.fromEntries(Object.entries(chosen).filter(([, on]) => on));
    const now = await ok(
      api.POST('/crates/{crate}/unset', { params: { path: { crate: crate.digest } }, body })
    );
    await client.invalidateQueries({ queryKey: ['crates'] });
    await client.invalidateQueries({ queryKey: ['crate'] });
    chosen = {};
    const next = now.items[0];
    return () => next && navigate('/crates/:digest', { params: { digest: next.digest } });
  }
</script>

<FormSheet
  bind:open
  title="Take corrections back"
  about="{crate.label} is laid out again as its archive and the rulebook say, in later versions too. What is deployed stays as it is."
  words={['Take them back', 'Laying out…']}
  disabled={!Object.values(chosen).some(Boolean)}
  {send}
>
  <ul class="mb-1">
    {#each crate.corrected ?? [] as said (said)}<li class="row py-1">{said}</li>{/each}
  </ul>
  {#each made as [kind, words] (kind)}
    <div><Tick bind:checked={() => chosen[kind] ?? false, (v) => (chosen[kind] = v)}>{words}</Tick></div>
  {/each}
</FormSheet>
