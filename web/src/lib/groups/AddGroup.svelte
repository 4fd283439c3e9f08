<!-- A group: its name, and which servers are deployed to together, in which order. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import { servers } from '../api/queries';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Tick from '../ui/Tick.svelte';

  let { open = $bindable(), done }: { open: boolean; done: () => Promise<unknown> } = $props();
  const list = createQuery(servers);
  let name = $state('');
  let chosen = $state<string[]>([]);

  async function send() {
    await ok(api.POST('/groups', { body: { name: name.trim(), servers: chosen } }));
    await done();
    name = '';
    chosen = [];
  }
</script>

<FormSheet
  bind:open
  title="Make a group"
  about="Its servers are deployed to together: in the order in which you tick them, each only once the one before is well."
  words={['Make it', 'Making…']}
  disabled={chosen.length < 1}
  {send}
>
  <Labelled label="Name" help="Lower-case letters, digits and hyphens.">
    <input class="input mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="31" bind:value={name} />
  </Labelled>
  <fieldset>
    <legend class="label mb-1">Servers</legend>
    <div class="space-y-1.5">
      {#each list.data ?? [] as s (s.name)}
        <div>
          <Tick
            checked={chosen.includes(s.name)}
            onchange={(on) => (chosen = on ? [...chosen, s.name] : chosen.filter((n) => n !== s.name))}
            >{s.name}
            <span class="reason"
              >{s.rulebook}{chosen.includes(s.name) ? `, number ${chosen.indexOf(s.name) + 1}` : ''}</span
            ></Tick
          >
        </div>
      {/each}
    </div>
  </fieldset>
</FormSheet>
