<!-- One archive on its way: sent, laid out, and what came of it. -->
<script lang="ts">
  import { percent, size } from '../format';
  import Bar from '../ui/Bar.svelte';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import CameOf from './CameOf.svelte';
  import ReadOfIt from './ReadOfIt.svelte';
  import type { Upload } from './uploads.svelte';

  let { upload: u, again, trust }: { upload: Upload; again?: () => void; trust?: () => void } = $props();
  let total = $derived(u.pick.body.size);
  let tone = $derived(u.stage === 'staged' ? 'ok-ink' : u.stage === 'refused' ? 'block-ink' : 'note-ink');
</script>

<div class="row px-4 py-2" data-upload={u.pick.filename}>
  <div class="flex flex-wrap items-center gap-x-3 gap-y-1">
    <span class="level px-2.5 {tone}">{u.stage}</span>
    <span class="mono [overflow-wrap:anywhere]">{u.pick.filename}</span>
    <span class="reason">{size(total)}</span>
    {#if u.staged}<CameOf staged={u.staged} />{/if}
  </div>
  {#if u.stage === 'sending' || u.stage === 'waiting'}
    <div class="mt-1.5 flex flex-wrap items-center gap-x-3 gap-y-1">
      <div class="min-w-40 flex-1">
        <Bar label="Sending {u.pick.filename}" part={total ? u.sent / total : 1} thin />
      </div>
      <span class="reason" data-sent
        >{percent(u.sent, total)}{#if u.rate}, {size(u.rate)} a second{/if}</span
      >
      {#if u.stalled}<span class="warn-ink px-1.5" role="alert" data-stalled
          >Nothing has gone for a while. It goes on by itself once the line does.</span
        >
        <Button kind="quiet" onclick={() => u.overAnother()}>Go on over another line</Button>{/if}
      <Button kind="quiet" onclick={() => u.cancel()}>Stop it</Button>
    </div>
  {/if}
  {#if u.stage === 'refused' && again}
    <div class="mt-1.5">
      <Button kind="quiet" onclick={again}
        >{u.begun && u.sent ? 'Go on where it stopped' : 'Send it again'}</Button
      >
      {#if u.swells && trust}<Button kind="quiet" onclick={trust}>Stage it as trusted</Button>{/if}
    </div>
  {/if}
  {#if u.staged}<ReadOfIt bind:staged={() => u.staged!, (st) => (u.staged = st)} />{/if}
  {#if u.error}<Trouble error={u.error} />{/if}
</div>
