<!-- How a server is reached, its host's key, what the host can do. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { navigate, p } from '../../router';
  import { api, ok, type Server } from '../api/client';
  import { clock, size } from '../format';
  import { reachedBy } from '../standing';
  import { attempting } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import Field from '../ui/Field.svelte';
  import Lading from '../ui/Lading.svelte';
  import PathText from '../ui/PathText.svelte';
  import Stamp from '../ui/Stamp.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import ControlParts from './ControlParts.svelte';
  import EditServer from './EditServer.svelte';
  import HelpBundle from './HelpBundle.svelte';
  import KnownFacts from './KnownFacts.svelte';
  import Reached from './Reached.svelte';
  import Written from './Written.svelte';

  let { server }: { server: Server } = $props();
  const client = useQueryClient();
  let params = $derived({ params: { path: { server: server.name } } });
  const attempt = attempting();
  let editing = $state(false);
  let packing = $state(false);
  let dropping = $state(false);
  let unlocking = $state(false);

  async function act(what: string, does: () => Promise<unknown>) {
    await attempt.run(what, does);
    await client.invalidateQueries({ queryKey: ['status', server.name] });
  }

  let shown = $derived(server.transport.kind === 'ftps' ? 'certificate' : 'key');
  let left = $derived(server.abilities?.left);
  let lock = $derived(server.abilities?.lock);
  async function unlock() {
    await ok(api.POST('/servers/{server}/test', { params: { ...params.params, query: { unlock: true } } }));
    await client.invalidateQueries({ queryKey: ['status', server.name] });
  }
  const test = () => act('test', () => ok(api.POST('/servers/{server}/test', params)));
  const trust = () =>
    act('trust', async () => {
      await ok(api.POST('/servers/{server}/trust', { ...params, body: { fingerprint: server.offeredKey! } }));
      await ok(api.POST('/servers/{server}/test', params));
    });
  async function drop() {
    await ok(api.DELETE('/servers/{server}', params));
    await client.invalidateQueries({ queryKey: ['servers'] });
    await navigate('/');
  }
</script>

<Lading tape={server.name} small>
  {#snippet fields()}
    <Field label="Rulebook"
      ><a class="link" href={p('/rulebooks/:name', { params: { name: server.rulebook } })}
        >{server.rulebook}</a
      ></Field
    >
    <Field label="Reached by">{reachedBy(server.transport)}</Field>
    <Field label="Root"><PathText path={server.transport.root ?? '.'} /></Field>
    {#if server.transport.uploadLimit}<Field label="Takes files of"
        >{size(server.transport.uploadLimit)} at most</Field
      >{/if}
    {#each Object.entries(server.variables) as [name, value] (name)}<Field label={name}>{value}</Field>{/each}
  {/snippet}
  {#snippet stamp()}
    {#if server.offeredKey}<Stamp word="{shown} waits" tone="warn" />
    {:else if lock}<Stamp word="locked" tone="warn" />
    {:else if server.abilities}<Stamp word="tested" tone="ok" />
    {:else}<Stamp word="not tested" tone="warn" />{/if}
  {/snippet}
  {#if server.offeredKey}
    <div class="space-y-2 px-4 py-3">
      <p>
        The host showed the {shown}
        <PathText path={server.offeredKey} />. {#if server.hostKey}<b
            >It was another one before: {server.hostKey}.</b
          >{/if}
        Compare it with what your host's panel says, or with what the person who set the machine up tells you. Only
        then confirm it.
      </p>
      <Button kind="main" disabled={attempt.busy !== ''} onclick={trust}>This is the {shown}: trust it</Button
      >
    </div>
  {:else if server.abilities}
    <ul class="px-4 py-3">
      {#each server.abilities.words as w (w)}<li class="row py-1">{w}</li>{/each}
    </ul>
    {#if left}<div class="px-4 pb-3">
        <Button disabled={attempt.busy !== ''} onclick={() => (unlocking = true)}>Clear what was left…</Button
        >
      </div>{/if}
    <p class="reason border-t border-rule px-4 py-2 [overflow-wrap:anywhere]">
      Found out {clock(server.abilities.testedAt)}{#if server.hostKey}; the host's {shown} is {server.hostKey}{/if}
    </p>
  {:else}
    <p class="px-4 py-3">
      Test it: the service connects, looks at the root, and finds out what the host can do with a file of its
      own that it takes away again.
    </p>
  {/if}
</Lading>
<Reached server={server.name} />
{#if attempt.error}<Trouble error={attempt.error} />{/if}
<div class="mt-4 flex flex-wrap gap-3">
  <Button
    kind={server.abilities || server.offeredKey ? 'plain' : 'main'}
    disabled={attempt.busy !== ''}
    onclick={test}>{attempt.busy === 'test' ? 'Testing…' : 'Test it'}</Button
  >
  <Button disabled={attempt.busy !== ''} onclick={() => (editing = true)}>Edit…</Button>
  <Button onclick={() => (packing = true)}>Pack for a helper…</Button>
  <Button disabled={attempt.busy !== ''} onclick={() => (dropping = true)}>Forget it…</Button>
</div>

<ControlParts server={server.name} />
<KnownFacts {server} />
<Written server={server.name} />

<HelpBundle bind:open={packing} server={server.name} />
<EditServer bind:open={editing} {server} />
<Confirm
  bind:open={dropping}
  title="Forget {server.name}?"
  about="Its files on the host stay as they are. Its records here can no longer be used to take anything back."
  word="Forget {server.name}"
  destroys
  does={drop}
/>

<Confirm
  bind:open={unlocking}
  title="Clear what another service left on {server.name}?"
  about={(lock ? `The host said at its last test: ${lock}. ` : '') +
    `A lock and unfinished uploads go. Only do so if the service that left them is lost for good. Files of the server that were set aside stay.`}
  word="Clear it"
  does={unlock}
/>
