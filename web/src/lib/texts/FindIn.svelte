<!-- Every line of a server's texts in which a word stands, also inside packed files. -->
<script lang="ts">
  import { api, ok, type Found } from '../api/client';
  import { count } from '../format';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server, to }: { server: string; to: (path: string) => string } = $props();
  let word = $state('');
  let busy = $state(false);
  let found = $state<Found>();
  let asked = $state('');
  let error = $state<unknown>();

  async function look(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    error = undefined;
    try {
      asked = word;
      found = await ok(
        api.GET('/servers/{server}/find', { params: { path: { server }, query: { word, blind: true } } })
      );
    } catch (x) {
      error = x;
    } finally {
      busy = false;
    }
  }
  const few = 200;
</script>

<form class="mb-3 flex flex-wrap items-center gap-3" onsubmit={look}>
  <input
    class="input max-w-md"
    bind:value={word}
    aria-label="Words to look for in every text"
    placeholder="A name, a value, a word"
  />
  <Button type="submit" disabled={busy || word === ''}>{busy ? 'Looking…' : 'Look in every text'}</Button>
</form>
{#if error}<Trouble {error} />{/if}
{#if found}
  <p class="mb-1.5 text-ink-soft" role="status">
    “{asked}” stands in {count(found.lines.length, 'line')} of {count(found.files, 'text')}.
  </p>
  {#if found.lines.length}
    <div class="box mb-4 max-h-[50vh] overflow-y-auto">
      {#each found.lines.slice(0, few) as l (`${l.path}:${l.line}`)}
        <div class="row grid grid-cols-1 gap-x-3 px-3 py-1 sm:grid-cols-[minmax(0,240px)_minmax(0,1fr)]">
          <a class="link mono [overflow-wrap:anywhere]" href={to(l.path)}>{l.path}:{l.line}</a>
          <span class="mono min-w-0 [overflow-wrap:anywhere]"
            >{l.text}
            {#if l.at}<span class="reason">{l.at}</span>{/if}</span
          >
        </div>
      {/each}
    </div>
    {#if found.lines.length > few}<p class="reason">The first {few} are shown.</p>{/if}
  {/if}
{/if}
