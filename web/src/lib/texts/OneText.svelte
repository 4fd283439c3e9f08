<!-- One text: as it is, with what is wrong with it in the margin, and beside it a form of its
     values. What is changed is drafted; nothing is written before that is run. -->
<script lang="ts">
  import { untrack } from 'svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import ArrowLeft from '@lucide/svelte/icons/arrow-left';
  import { toServer } from '../../router';
  import type { TextValue } from '../api/client';
  import { text } from '../api/queries';
  import { count, size } from '../format';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { fileHref } from '../files/address';
  import Button from '../ui/Button.svelte';
  import Filter from '../ui/Filter.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { edited, notWhole } from './bytes';
  import type { Editor } from './editor';
  import TextFindings from './TextFindings.svelte';
  import TryValue from './TryValue.svelte';
  import TweakRow from './TweakRow.svelte';
  import ValueMore from './ValueMore.svelte';
  import ValueRow from './ValueRow.svelte';

  let { server, path }: { server: string; path: string } = $props();

  let reveal = $state(false);
  const q = createQuery(() => text(server, path, reveal));
  const drafting = new Drafting();
  let typed = $state<Record<string, string>>({}); // by value path
  let doc = $state<string>(); // the edited text; nothing where it is as it was
  let find = $state('');
  let trying = $state<TextValue>();
  let more = $state(''); // the value path of which more is shown
  let tryOpen = $state(false);
  let ready = $state(false); // the editor is there; the text is shown as it is until then
  let editor: Editor | undefined;

  let t = $derived(q.data);
  let why = $derived(t ? notWhole(t) : '');
  let changes = $derived(Object.entries(typed));
  let wanted = $derived(find.trim().toLowerCase());
  let shown = $derived(
    (t?.values ?? []).filter(
      (v) =>
        v.kind === 'value' &&
        (!wanted || [v.path, v.comment, v.value].some((s) => s?.toLowerCase().includes(wanted)))
    )
  );

  function editing(at: HTMLElement) {
    const shownText = untrack(() => q.data); // what comes later does not replace what is being edited
    if (!shownText) return;
    let gone = false;
    void import('./editor').then((m) => {
      if (gone) return;
      editor = m.open(at, {
        text: shownText.body.replaceAll('\r\n', '\n'),
        format: shownText.format,
        label: `The text ${path}`,
        fixed: notWhole(shownText) !== '',
        changed: (now) => (doc = now === shownText.body.replaceAll('\r\n', '\n') ? undefined : now)
      });
      editor.tell(shownText.findings);
      ready = true;
    });
    return () => {
      gone = true;
      ready = false;
      editor?.end();
      editor = undefined;
    };
  }

  function save() {
    if (!t) return;
    if (doc !== undefined) {
      void drafting.start(server, { texts: [{ path, was: t.raw ?? '', now: edited(t, doc) }] });
      return;
    }
    void drafting.start(server, {
      tweaks: changes.map(([at, value]) => ({ path, tweak: { do: 'set', at, value } }))
    });
  }

  function set(at: string, to: string | undefined) {
    if (to === undefined) {
      typed = Object.fromEntries(Object.entries(typed).filter(([path]) => path !== at));
    } else typed = { ...typed, [at]: to };
  }
</script>

<p class="mb-2">
  <a class="link inline-flex items-center gap-1" href={toServer(server, 'texts')}
    ><ArrowLeft size={15} /> All texts</a
  >
</p>
{#if q.error}<Trouble error={q.error} />{/if}
{#if t}
  <div class="mb-2 flex flex-wrap items-baseline gap-x-3">
    <h2 class="mono !text-[16px] !font-semibold [overflow-wrap:anywhere]" data-text={path}>{path}</h2>
    <span class="reason"
      >{t.format}, {t.encoding}{t.ends === 'crlf' ? ', line ends of Windows' : ''}, {size(t.size)}{t.owners
        .length
        ? `, from ${t.owners.join(', ')}`
        : t.made
          ? `, came with the start of ${t.made}`
          : ", the server's own"}{t.changed ? ', changed outside' : ''}</span
    >
  </div>
  {#if t.about}<p class="mb-2 text-ink-soft">{t.about}</p>{/if}
  {#if t.findings.length}
    <TextFindings findings={t.findings} {server} />
  {/if}
  <div class="grid gap-4 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
    <div class="min-w-0">
      {#if why}
        <p class="reason mb-1.5">
          {why}
          {#if t.masked}<Button kind="quiet" onclick={() => (reveal = true)}
              >Show {count(t.masked, 'secret')}</Button
            >{/if}
        </p>
      {:else if changes.length}
        <p class="reason mb-1.5">
          The form has changes: draft them or take them back before editing the text itself.
        </p>
      {/if}
      {#key `${t.digest} ${reveal}`}<div {@attach editing} class="min-h-40">
          {#if !ready}<pre class="mono box overflow-x-auto p-3">{t.body}</pre>{/if}
        </div>{/key}
    </div>
    <div class="min-w-0 max-lg:order-first">
      {#if t.values.length}
        <div class="mb-2"><Filter bind:find label="Find a value" /></div>
        <div class="box max-h-[64vh] overflow-y-auto">
          {#each shown as v (v.path)}
            <ValueRow
              value={v}
              typed={typed[v.path]}
              fixed={doc !== undefined}
              onchange={(to) => set(v.path, to)}
              more={more === v.path}
              onmore={() => (more = more === v.path ? '' : v.path)}
              onshow={() => editor?.show(v.line)}
              ontry={() => {
                trying = v;
                tryOpen = true;
              }}
            />
            {#if more === v.path}<ValueMore {server} {path} value={v} />{/if}
          {:else}
            <p class="p-3 text-ink-soft">No value has “{find}” in it.</p>
          {/each}
        </div>
        {#if t.partial}<p class="reason mt-1">
            There are more values than these; the text has them all.
          </p>{/if}
      {:else}
        <p class="text-ink-soft">
          Nothing is known of how this text is written, so there is no form. It can be edited as it is.
        </p>
      {/if}
    </div>
  </div>
  <div
    class="sticky bottom-0 mt-3 flex flex-wrap items-center gap-3 border-t-[1.5px] border-ink bg-paper py-2.5"
  >
    <Button kind="main" disabled={drafting.busy || (doc === undefined && changes.length === 0)} onclick={save}
      >{doc === undefined && changes.length > 1
        ? `Draft ${changes.length} changes`
        : 'Draft the change'}</Button
    >
    <span class="text-ink-soft"
      >{doc !== undefined
        ? 'The text is edited.'
        : changes.length
          ? `${count(changes.length, 'value')} changed.`
          : 'Nothing is changed yet.'} Nothing is written before the draft is run.</span
    >
    {#if changes.length && doc === undefined}<Button kind="quiet" onclick={() => (typed = {})}
        >Take back</Button
      >{/if}
    <span class="ml-auto"><Button kind="quiet" href={fileHref(server, path)}>History</Button></span>
  </div>
  <DraftingNote {drafting} />
  {#if trying}{#key trying.path}<TryValue bind:open={tryOpen} {server} {path} value={trying} />{/key}{/if}
  {#if t.tweaks.length}
    <h2 class="mt-4 mb-2">Tweaks</h2>
    <div class="box">
      {#each t.tweaks as k (k.id)}<TweakRow {server} tweak={k} />{/each}
    </div>
  {/if}
{/if}
