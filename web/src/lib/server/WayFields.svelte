<!-- One way to do something or to find something out: which, and what it takes. -->
<script lang="ts">
  import type { WayForm } from './control';

  interface Props {
    label: string;
    way: WayForm;
    ways: [WayForm['by'], string][];
    hint?: string;
    probes?: boolean;
  }
  let { label, way = $bindable(), ways, hint = '', probes = false }: Props = $props();

  const asks: Partial<Record<WayForm['by'], string>> = {
    command: 'Command of a shell on the service’s machine',
    ssh: 'Command of a shell on the server’s host',
    rcon: 'Line for the console',
    hand: 'What a person is told'
  };
</script>

<div class="grid items-start gap-x-3 gap-y-1 sm:grid-cols-[84px_minmax(0,1fr)]" data-way={label}>
  <span class="label sm:pt-2">{label}</span>
  <div class="space-y-1.5">
    <select class="input" aria-label="{label}: how" bind:value={way.by}>
      {#each ways as [by, words] (by)}<option value={by}>{words}</option>{/each}
    </select>
    {#if way.by === 'http'}
      <div class="grid grid-cols-[92px_minmax(0,1fr)] gap-1.5">
        <select class="input" aria-label="{label}: method" bind:value={way.method}>
          {#each ['GET', 'POST', 'PUT', 'DELETE', 'PATCH'] as m (m)}<option>{m}</option>{/each}
        </select>
        <input
          class="input mono"
          aria-label="{label}: address"
          placeholder="https://panel.example/…"
          bind:value={way.url}
        />
      </div>
      <textarea
        class="input mono"
        rows="2"
        aria-label="{label}: headers"
        placeholder={'X-Key: {secret:panel}'}
        bind:value={way.headers}></textarea>
      {#if way.method !== 'GET'}
        <input class="input mono" aria-label="{label}: body" placeholder="Body" bind:value={way.body} />
      {/if}
      <input
        class="input mono"
        aria-label="{label}: expected answer"
        placeholder={probes
          ? 'Running, if the answer is like (expression)'
          : 'Right, if the answer is like (expression)'}
        bind:value={way.expect}
      />
      {#if probes}
        <input
          class="input mono"
          aria-label="{label}: stopped answer"
          placeholder="Stopped, if the answer is like (expression)"
          bind:value={way.stopped}
        />
      {/if}
    {:else if way.by === 'port'}
      <input
        class="input mono"
        aria-label="{label}: address"
        placeholder="host:port"
        bind:value={way.address}
      />
    {:else if way.by && !(probes && way.by === 'rcon')}
      <input
        class="input {way.by === 'hand' ? '' : 'mono'}"
        aria-label="{label}: what"
        placeholder={asks[way.by]}
        bind:value={way.command}
      />
    {/if}
    {#if hint && way.by}<span class="reason block">{hint}</span>{/if}
  </div>
</div>
