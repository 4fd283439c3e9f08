<!-- Who loaded, who failed and who said nothing, each beside the lines that prove it. -->
<script lang="ts">
  import Word from '../help/Word.svelte';
  import { p } from '../../router';
  import type { RollCall } from '../api/client';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { clock, count } from '../format';
  import Button from '../ui/Button.svelte';
  import NoteOddity from './NoteOddity.svelte';

  interface Props {
    call: RollCall;
    server: string;
    /** What is harmless can be noted here. */
    notes?: boolean;
  }
  let { call, server, notes = false }: Props = $props();
  const drafting = new Drafting();
  let noting = $state(false);
  let odd = $state('');
  let known = $derived(call.entries.find((e) => e.addon === odd)?.oddities ?? []);

  const tones = { loaded: 'ok', failed: 'block', silent: 'warn', unknown: 'note' } as const;
  const said = {
    loaded: '',
    failed: '',
    silent: 'nothing is said of it',
    unknown: 'it loaded, and the ledger does not know it'
  };
  let sums = $derived(
    (['loaded', 'failed', 'silent', 'unknown'] as const)
      .map((s) => [call.entries.filter((e) => e.standing === s).length, s] as const)
      .filter(([n]) => n)
      .map(([n, s]) => `${n} ${s}`)
      .join(', ')
  );
</script>

<section data-rollcall>
  <div class="flex flex-wrap items-baseline gap-x-3 border-b border-rule px-4 py-2.5">
    <h2>Roll call <Word is="roll call" /></h2>
    <b>{sums || 'nothing was said of any add-on'}</b>
    <span class="reason"
      >{clock(call.at)}, from {count(call.logRead, 'line')} of the log{call.asked
        ? ' and the console'
        : ''}</span
    >
    {#if !call.ready}<span class="warn-ink">The log has no ready line since the last start.</span>{/if}
  </div>
  {#each call.entries as e (e.addon)}
    <div
      class="row grid grid-cols-[74px_minmax(0,1fr)] gap-x-3.5 gap-y-1 px-4 py-1.5 lg:grid-cols-[74px_minmax(0,1fr)_minmax(0,1.4fr)]"
      data-called={e.addon}
    >
      <span class="level self-start {e.standing === 'silent' && !e.listed ? 'ink' : tones[e.standing]}-ink"
        >{e.standing}</span
      >
      <span class="min-w-0">
        <b>{e.addon}</b> <span class="mono">{e.version}</span>
        {#if e.why || said[e.standing]}<div>{e.why || said[e.standing]}</div>{/if}
        {#each e.oddities as words (words)}
          <div class="reason">known and harmless: {words}</div>
        {/each}
        {#if e.bring.length}
          <Button
            disabled={drafting.busy}
            onclick={() => drafting.start(server, { crates: e.bring })}
            title="It is staged, and brings what {e.addon} needs"
            >{drafting.busy ? 'Looking at the server…' : `Deploy ${e.bring.join(', ')}…`}</Button
          >
        {/if}
        {#if e.stage.length}
          <div>
            <a class="link" href={p('/staging')}>Stage {e.stage.join(', ')}</a> and deploy that too.
          </div>
        {/if}
        {#if notes && e.standing !== 'unknown'}
          <Button
            kind="quiet"
            title="What looks wrong in it and is not"
            onclick={() => ([odd, noting] = [e.addon, true])}>Note an oddity…</Button
          >
        {/if}
      </span>
      <div class="min-w-0 max-lg:col-start-2">
        {#each e.lines as l (l.number)}
          <div class="mono truncate" title={l.text}>
            <span class="text-ink-soft">{l.number}</span>
            {l.text}
          </div>
        {/each}
      </div>
    </div>
  {:else}
    <p class="px-4 py-3 text-ink-soft">No add-on is known here, and none was spoken of.</p>
  {/each}
  <DraftingNote {drafting} />
  {#each call.errors as l (l.number)}
    <div class="row grid grid-cols-[74px_minmax(0,1fr)] gap-x-3.5 px-4 py-1.5">
      <span class="level self-start warn-ink">log</span>
      <span class="mono min-w-0 [overflow-wrap:anywhere]"
        ><span class="text-ink-soft">{l.number}</span> {l.text}</span
      >
    </div>
  {/each}
</section>

{#if notes}<NoteOddity bind:open={noting} {server} addon={odd} {known} />{/if}
