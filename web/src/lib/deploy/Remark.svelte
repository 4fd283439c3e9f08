<!-- What people say of a deployment: a text, and whether the server was good as it stood after it. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Deployment } from '../api/client';
  import { attempting } from '../attempt.svelte';
  import { clock } from '../format';
  import Button from '../ui/Button.svelte';
  import Tick from '../ui/Tick.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { deployment: d }: { deployment: Deployment } = $props();
  const saving = attempting();
  const client = useQueryClient();
  let open = $state(false);
  let text = $state('');
  let good = $state(false);

  function begin(): void {
    text = d.remark?.text ?? '';
    good = d.remark?.good ?? false;
    open = true;
  }
  async function save(e: Event): Promise<void> {
    e.preventDefault();
    const { server, number } = d;
    const went = await saving.run('save', async () => {
      await ok(
        api.PUT('/servers/{server}/deployments/{number}/remark', {
          params: { path: { server, number } },
          body: { text, good }
        })
      );
      await client.invalidateQueries({ queryKey: ['deployment', server, number] });
      await client.invalidateQueries({ queryKey: ['deployments', server] });
    });
    if (went) open = false;
  }
</script>

<div class="border-b-[1.5px] border-ink px-4 py-2" data-remark>
  {#if open}
    <form class="flex flex-wrap items-center gap-x-4 gap-y-2" onsubmit={save}>
      <input
        class="input min-w-0 flex-1 basis-64"
        aria-label="What is said of {d.name}"
        placeholder="How it went, what to look at next time"
        maxlength="2000"
        bind:value={text}
      />
      {#if d.state === 'done'}<Tick bind:checked={good}>Known good</Tick>{/if}
      <span class="flex gap-2">
        <Button kind="quiet" onclick={() => (open = false)}>Leave it</Button>
        <Button type="submit" disabled={saving.busy !== ''}>Write it down</Button>
      </span>
    </form>
    {#if saving.error}<Trouble error={saving.error} />{/if}
  {:else}
    <div class="flex flex-wrap items-baseline gap-x-3">
      <span class="min-w-0 flex-1">
        {#if d.remark}
          {#if d.remark.good}<b>Known good.</b>{/if}
          {d.remark.text}
          <span class="reason"
            >{d.remark.by}{#if d.remark.at}, {clock(d.remark.at)}{/if}</span
          >
        {:else}<span class="reason">Nobody has said how the server was after it.</span>{/if}
      </span>
      <Button kind="quiet" onclick={begin}>{d.remark ? 'Change the remark' : 'Add a remark'}</Button>
    </div>
  {/if}
</div>
