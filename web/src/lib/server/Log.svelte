<!-- The end of a server's log as it grows, with the lines marked that are about an
     add-on. -->
<script lang="ts">
  import { untrack } from 'svelte';
  import { api, ok, type LogLine } from '../api/client';
  import { count } from '../format';
  import Announce from '../ui/Announce.svelte';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { server, lines = $bindable() }: { server: string; lines: LogLine[] } = $props();
  const most = 500; // lines that are kept on the page
  const every = 1500; // milliseconds between looks
  let error = $state<unknown>();
  let paused = $state(false);
  let find = $state('');
  let only = $state(''); // an add-on
  let wanted = $derived(find.trim().toLowerCase());
  let addons = $derived([...new Set(lines.flatMap((l) => (l.addon ? [l.addon] : [])))].toSorted());
  let shown = $derived(
    lines.filter((l) => (!wanted || l.text.toLowerCase().includes(wanted)) && (!only || l.addon === only))
  );

  function save() {
    const url = URL.createObjectURL(
      new Blob([shown.map((l) => l.text + '\n').join('')], { type: 'text/plain' })
    );
    const a = document.createElement('a');
    [a.href, a.download] = [url, `${server}.log`];
    a.click();
    URL.revokeObjectURL(url);
  }
  let box = $state<HTMLElement>();

  $effect(() => {
    const name = server;
    let next = '';
    let stop = false;
    let timer: ReturnType<typeof setTimeout>;
    untrack(() => (lines = []));
    async function look() {
      if (untrack(() => paused)) {
        timer = setTimeout(look, every);
        return;
      }
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

<div class="flex flex-wrap items-center gap-3 border-b border-rule px-4 py-2.5">
  <h2>Log</h2>
  <span class="reason" role="status"
    >{paused ? 'held; what comes is read once it goes on' : 'as it grows'}{wanted || only
      ? `, ${shown.length} of ${count(lines.length, 'line')}`
      : ''}</span
  >
  <span class="ml-auto flex flex-wrap items-center gap-2">
    <input
      class="input w-48"
      type="search"
      data-find
      aria-label="Find in the log"
      placeholder="Find in it ( / )"
      bind:value={find}
    />
    <select class="input w-auto" aria-label="Only lines about this add-on" bind:value={only}>
      <option value="">all lines</option>
      {#each addons as a (a)}<option value={a}>{a}</option>{/each}
    </select>
    <Button onclick={() => (paused = !paused)}>{paused ? 'Go on' : 'Hold it'}</Button>
    <Button disabled={shown.length === 0} onclick={save}>Download these lines</Button>
  </span>
</div>
<Announce words={paused ? '' : `${count(lines.length, 'line')} in the log`} />
{#if error}<Trouble {error} />{/if}
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class="mono max-h-[46vh] overflow-auto px-4 py-2"
  bind:this={box}
  data-log
  tabindex="0"
  role="region"
  aria-label="The server's log"
>
  {#each shown as l, i (i)}
    <div class="grid grid-cols-[minmax(0,130px)_minmax(0,1fr)] gap-x-3">
      <span class="truncate text-note" title={l.addon}>{l.addon ?? ''}</span>
      <span class="[overflow-wrap:anywhere]" class:text-ink-soft={!l.addon}>{l.text}</span>
    </div>
  {:else}
    {#if !error}<span class="text-ink-soft"
        >{lines.length ? 'No line that has come so far is like that.' : 'The log is empty.'}</span
      >{/if}
  {/each}
</div>
