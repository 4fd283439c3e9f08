<!-- The end of a server's log as it grows, with the lines marked that are about an
     add-on. -->
<script lang="ts">
  import { untrack } from 'svelte';
  import { api, ok, type LogLine } from '../api/client';
  import Trouble from '../ui/Trouble.svelte';

  let { server, lines = $bindable() }: { server: string; lines: LogLine[] } = $props();
  const most = 500; // lines that are kept on the page
  const every = 1500; // milliseconds between looks
  let error = $state<unknown>();
  let box = $state<HTMLElement>();

  $effect(() => {
    const name = server;
    let next = '';
    let stop = false;
    let timer: ReturnType<typeof setTimeout>;
    untrack(() => (lines = []));
    async function look() {
      try {
        const piece = await ok(
          api.GET('/servers/{server}/log', { params: { path: { server: name }, query: { from: next } } })
        );
        error = undefined;
        next = piece.next;
        if (!stop && piece.lines.length) {
          const atEnd = !box || box.scrollHeight - box.scrollTop - box.clientHeight < 40;
          lines = [...lines, ...piece.lines].slice(-most);
          if (atEnd) requestAnimationFrame(() => box?.scrollTo(0, box.scrollHeight));
        }
      } catch (e) {
        error = e;
      }
      if (!stop) timer = setTimeout(look, every);
    }
    void look();
    return () => {
      stop = true;
      clearTimeout(timer);
    };
  });
</script>

<div class="flex items-baseline gap-3 border-b border-rule px-4 py-2.5">
  <h2>Log</h2>
  <span class="reason">as it grows</span>
</div>
{#if error}<Trouble {error} />{/if}
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class="mono max-h-[46vh] overflow-auto px-4 py-2"
  bind:this={box}
  data-log
  tabindex="0"
  role="log"
  aria-label="The server's log"
>
  {#each lines as l, i (i)}
    <div class="grid grid-cols-[minmax(0,130px)_minmax(0,1fr)] gap-x-3">
      <span class="truncate text-note" title={l.addon}>{l.addon ?? ''}</span>
      <span class="[overflow-wrap:anywhere]" class:text-ink-soft={!l.addon}>{l.text}</span>
    </div>
  {:else}
    {#if !error}<span class="text-ink-soft">The log is empty.</span>{/if}
  {/each}
</div>
