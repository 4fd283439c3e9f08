<!-- What is true of a server as far as it is known, with where that was read and when. Crates are
     judged by it. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Server } from '../api/client';
  import { attempting } from '../attempt.svelte';
  import { clock } from '../format';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server }: { server: Server } = $props();
  const client = useQueryClient();
  const reading = attempting();
  const read = () =>
    reading.run('read', async () => {
      await ok(api.POST('/servers/{server}/facts', { params: { path: { server: server.name } } }));
      await client.invalidateQueries({ queryKey: ['status', server.name] });
    });

  // What a person says counts before what the server tells; said with no value it is taken back.
  let name = $state('game');
  let value = $state('');
  const say = (fact: string, is: string) =>
    reading.run('say', async () => {
      await ok(
        api.PATCH('/servers/{server}', {
          params: { path: { server: server.name } },
          body: { facts: { [fact]: is } }
        })
      );
      value = '';
      await client.invalidateQueries({ queryKey: ['status', server.name] });
    });
  function set(e: Event) {
    e.preventDefault();
    if (name.trim() && value.trim()) void say(name.trim(), value.trim());
  }
</script>

<section class="box mt-4" data-facts>
  <div class="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-rule px-4 py-2">
    <h2>What is known of it</h2>
    <span class="reason min-w-0 flex-1 max-sm:order-last max-sm:basis-full"
      >Crates are judged by it: what fits, what does not.</span
    >
    <Button disabled={reading.busy !== ''} onclick={read}
      >{reading.busy ? 'Reading…' : 'Read it again'}</Button
    >
  </div>
  {#if reading.error}<Trouble error={reading.error} />{/if}
  {#each server.known as f (f.name)}
    <div class="row flex flex-wrap items-baseline gap-x-3.5 gap-y-1 px-4 py-1.5">
      <b class="w-24 sm:w-32">{f.name}</b>
      <span class="mono min-w-0 [overflow-wrap:anywhere] max-sm:flex-1 sm:w-56 sm:flex-none">{f.value}</span>
      <span class="reason min-w-0 flex-1 max-sm:basis-full"
        >{f.from}{#if f.at}, {clock(f.at)}{/if}{#if f.before}<span class="warn-ink"
            >, before the last start</span
          >{/if}{#if f.told}<span class="warn-ink">; but {f.toldBy} says {f.told}</span>{/if}</span
      >
      {#if f.byHand}<Button kind="quiet" disabled={reading.busy !== ''} onclick={() => say(f.name, '')}
          >Take back</Button
        >{/if}
    </div>
  {:else}
    <p class="px-4 py-2 text-ink-soft">
      Nothing yet. The rulebook can say where its game's version and its loader are told; else say it here.
    </p>
  {/each}
  <form class="flex flex-wrap items-center gap-2 border-t border-rule px-4 py-2" onsubmit={set}>
    <span class="label">Say it yourself</span>
    <input class="input w-36" aria-label="Fact" list="facts-known" bind:value={name} />
    <datalist id="facts-known">
      {#each ['game', 'loader', 'loader-version', 'address', 'port'] as n (n)}<option value={n}
        ></option>{/each}
    </datalist>
    <input class="input w-40" aria-label="Value" bind:value />
    <Button type="submit" disabled={reading.busy !== '' || !value.trim()}>Set</Button>
  </form>
</section>
