<!-- The buttons of a deployment: what can be done with it as it stands. -->
<script lang="ts">
  import type { Deployment } from '../api/client';
  import { moving } from '../standing';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import type { accepting } from './accepting';
  import type { Acts } from './acts.svelte';
  import type { Drafting } from './drafting.svelte';

  interface Props {
    deployment: Deployment;
    acts: Acts;
    drafting: Drafting;
    /** What of its blocks is still in the way. */
    left: ReturnType<typeof accepting>;
  }
  let { deployment: d, acts, drafting, left }: Props = $props();
  let discarding = $state(false);
  let undoing = $state(false);
  let data = $state(false);
  const askUndo = (withData: boolean) => ([undoing, data] = [true, withData]);
  let withData = $derived(d.wayBack === 'files and data');
  let blocked = $derived(
    left.final
      ? 'A block that cannot be accepted stands in the way'
      : left.open
        ? 'Blocks have to be accepted first'
        : undefined
  );
</script>

{#snippet undo()}
  {#if withData}
    <Button
      disabled={acts.starting}
      onclick={() => askUndo(true)}
      title="Put the folders that the server writes back too, as they were copied">Undo, data too</Button
    >
  {/if}
  <Button disabled={acts.starting} onclick={() => askUndo(false)} title="Put every file back as it was before"
    >Undo</Button
  >
{/snippet}

<Confirm
  bind:open={undoing}
  title="Undo {d.name}?"
  about="Every file is put back as it was before, and a server that was stopped for it runs again.{data
    ? ' The folders that the server writes are put back too, as they were copied.'
    : ''}"
  word="Undo it"
  does={async () => acts.undo(data)}
/>

{#if d.state === 'draft'}
  <Button disabled={acts.starting} onclick={() => (discarding = true)}>Give it up…</Button>
  <Button
    kind="main"
    disabled={acts.starting || blocked !== undefined}
    title={blocked}
    onclick={() => acts.run(d, left.accept)}>{acts.starting ? 'Starting…' : 'Run it'}</Button
  >
  <Confirm
    bind:open={discarding}
    title="Give {d.name} up?"
    about="The draft and its ticks go. The server was only looked at, so nothing on it changes."
    word="Give it up"
    does={() => acts.discard()}
  />
{:else if d.state === 'queued'}
  <Button onclick={() => acts.halt()} title="Nothing was done yet: it is a draft again then"
    >Take it out of the queue</Button
  >
{:else if moving(d.state)}
  <Button onclick={() => acts.halt()} title="Stops between two motions; resume or undo it then"
    >Stop it</Button
  >
{:else if d.state === 'waiting'}
  {#if acts.unseen}
    <Button disabled={acts.starting} onclick={() => acts.tick(true)}>It is done all the same</Button>
  {/if}
  {#if !d.goesBack}{@render undo()}{/if}
  <Button kind="main" disabled={acts.starting} onclick={() => acts.tick()}>It is done</Button>
{:else if d.state === 'halted'}
  {@render undo()}
  <Button kind="main" disabled={acts.starting} onclick={() => acts.resume()} title="Finish what was begun"
    >Resume</Button
  >
{:else if d.state === 'done'}
  {#if d.untidy}
    <Button
      disabled={acts.starting}
      onclick={() => acts.tidy()}
      title="They could not be removed when it was done">Clear what was set aside</Button
    >
  {/if}
  {#if withData && !d.takenBackBy}
    <Button
      disabled={drafting.busy}
      onclick={() => drafting.start(d.server, { rollback: { deployment: d.number, data: true } })}
      >Take back, data too…</Button
    >
  {/if}
  {#if !d.takenBackBy}
    <Button
      disabled={drafting.busy}
      onclick={() => drafting.start(d.server, { rollback: { deployment: d.number } })}
      >{drafting.busy ? 'Looking…' : 'Take back…'}</Button
    >
  {/if}
{/if}
