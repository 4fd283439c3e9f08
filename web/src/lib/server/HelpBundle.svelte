<!-- What somebody needs who helps with a server, as a zip that is read before it is sent. -->
<script lang="ts">
  import { base } from '../api/client';
  import Button from '../ui/Button.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Tick from '../ui/Tick.svelte';

  let { open = $bindable(), server }: { open: boolean; server: string } = $props();
  const parts: [string, string][] = [
    ['server', 'how it is reached, without secrets'],
    ['rulebook', 'its rulebook'],
    ['status', 'what is on it'],
    ['deployments', 'the last deployments'],
    ['rollcall', 'the last roll call'],
    ['survey', 'the last survey'],
    ['log', 'the end of its log'],
    ['settings', 'its settings texts']
  ];
  let without = $state<string[]>([]);
  let href = $derived(
    `${base}/servers/${encodeURIComponent(server)}/bundle${without.length ? `?without=${without.join(',')}` : ''}`
  );
</script>

<Sheet
  bind:open
  title="Pack for a helper"
  about="A zip of texts, in which passwords, tokens, keys and addresses of people are masked. Read it before you send it."
>
  <div class="space-y-1.5">
    {#each parts as [name, words] (name)}
      <div>
        <Tick
          checked={!without.includes(name)}
          onchange={(on) => (without = on ? without.filter((w) => w !== name) : [...without, name])}
          >{words}</Tick
        >
      </div>
    {/each}
  </div>
  <div class="mt-4"><Button kind="main" {href} download>Download it</Button></div>
</Sheet>
