<!-- A rulebook to begin with, named for a shape of games instead of a game. It is kept under the game's own
     name, and opened to be changed. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { navigate } from '../../router';
  import { api, ok } from '../api/client';
  import { starters } from '../api/queries';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';

  let { open = $bindable() }: { open: boolean } = $props();
  const client = useQueryClient();
  const all = createQuery(() => ({ ...starters(), enabled: open }));
  let picked = $state('');
  let shape = $derived((all.data ?? []).find((s) => s.name === picked) ?? all.data?.[0]);
  let title = $state('');
  let name = $state('');

  async function send() {
    const body = { starter: shape!.name, name: name.trim(), title: title.trim() };
    const made = await ok(api.POST('/rulebooks/propose', { body }));
    const kept = await ok(api.POST('/rulebooks', { body: { text: made.text ?? '', over: false } }));
    await client.invalidateQueries({ queryKey: ['rulebooks'] });
    return () => navigate('/rulebooks/:name', { params: { name: kept.name }, search: { at: 'edit' } });
  }
</script>

<FormSheet
  bind:open
  title="Begin with a shape"
  about="Many games keep their add-ons in one of these ways. Choose the one that is nearest; it opens in the editor, where you try it on a download and change it."
  words={['Keep it and open it', 'Keeping…']}
  disabled={!shape || !title.trim() || !name.trim()}
  {send}
>
  <Labelled label="Shape" help={shape?.about}>
    <select class="input" bind:value={() => shape?.name ?? '', (v) => (picked = v)}>
      {#each all.data ?? [] as s (s.name)}<option value={s.name}>{s.name}</option>{/each}
    </select>
  </Labelled>
  <Labelled label="The game's name"><input class="input" required bind:value={title} /></Labelled>
  <Labelled label="What the rulebook is called" help="Small letters, digits and hyphens.">
    <input class="input mono" required bind:value={name} />
  </Labelled>
</FormSheet>
