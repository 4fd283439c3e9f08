<!-- One archive on its way: sent, laid out, and what came of it. -->
<script lang="ts">
  import { p } from '../../router';
  import { count, percent, size } from '../format';
  import Bar from '../ui/Bar.svelte';
  import Button from '../ui/Button.svelte';
  import FindingRow from '../ui/FindingRow.svelte';
  import ChooseRoot from './ChooseRoot.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import type { Upload } from './uploads.svelte';

  let { upload: u, again }: { upload: Upload; again?: () => void } = $props();
  // What a person should read now; notes stand on the crate's own page.
  let worth = $derived(
    (u.staged?.rulebooks ?? [])
      .flatMap((b) => [...b.crates.flatMap((c) => c.findings), ...b.findings])
      .filter((f, i, all) => f.level !== 'note' && all.findIndex((o) => o.what === f.what) === i)
  );
  let total = $derived(u.pick.body.size);
  let tone = $derived(u.stage === 'staged' ? 'ok-ink' : u.stage === 'refused' ? 'block-ink' : 'note-ink');
</script>

<div class="row px-4 py-2" data-upload={u.pick.filename}>
  <div class="flex flex-wrap items-center gap-x-3 gap-y-1">
    <span class="level px-2.5 {tone}">{u.stage}</span>
    <span class="mono [overflow-wrap:anywhere]">{u.pick.filename}</span>
    <span class="reason">{size(total)}</span>
    <span class="ml-auto flex flex-wrap gap-x-4">
      {#if u.staged?.known}<span class="reason"
          >the same bytes were staged before{u.staged.before ? ` as ${u.staged.before}` : ''}{u.staged.renamed
            ? '; this name tells the version, so it counts from now on'
            : ''}{u.staged.reread ? '; names in it are others now' : ''}</span
        >{/if}
      {#each u.staged?.rulebooks ?? [] as b (b.rulebook)}
        {#if b.pallet}<span class="reason">pallet <b>{b.pallet}</b>:</span>{/if}
        {#each b.crates as c (c.digest)}
          <span>
            <a class="link font-semibold" href={p('/crates/:digest', { params: { digest: c.digest } })}
              >{c.label}</a
            >
            <span class="reason"
              >{c.kind} of {b.rulebook}, {count(c.fileCount, 'file')}{c.leftCount
                ? `, ${c.leftCount} left out`
                : ''}</span
            >
          </span>
        {/each}
      {/each}
      {#if u.staged && !u.staged.rulebooks.some((b) => b.crates.length || b.choices?.length || b.findings.length)}
        <span class="warn-ink">no rulebook knows it; the archive is kept</span>
      {/if}
    </span>
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
    </div>
  {/if}
  {#if worth.length}
    <div class="mt-1.5">
      {#each worth as f (f.code + f.path + f.what)}<FindingRow finding={f} />{/each}
    </div>
  {/if}
  {#each u.staged?.rulebooks ?? [] as b (b.rulebook)}
    {#if b.choices?.length}<ChooseRoot
        archive={u.staged!.archive.digest}
        rulebook={b}
        onstaged={(st) => (u.staged = st)}
      />{/if}
  {/each}
  {#if u.error}<Trouble error={u.error} />{/if}
</div>
