<!-- What a player needs for a server. Nobody is signed in here, and nothing but the list is known. -->
<script lang="ts">
  import { clock, size } from '../lib/format';
  import { check, type PackEntry, type Packlist, type Verdict } from './check';
  import { chosen, dropped } from './folder';

  const here = location.pathname.replace(/\/$/, '');
  let list = $state<Packlist>();
  let trouble = $state('');
  let verdict = $state<Verdict>();
  let busy = $state('');
  let over = $state(false);
  let copied = $state(false);

  void load();
  async function load() {
    try {
      const res = await fetch(`${here}/list.json`);
      if (!res.ok) throw new Error(await res.text());
      list = (await res.json()) as Packlist;
      document.title = list.title;
    } catch (e) {
      trouble = e instanceof Error && e.message ? e.message : 'The list does not come. Try it again.';
    }
  }

  const of = (need: PackEntry['need']) => list?.entries.filter((e) => e.need === need) ?? [];
  let groups = $derived([
    { head: 'You must have', list: of('must') },
    { head: 'You may have', list: of('may') },
    { head: 'You must not have', list: of('must-not') }
  ]);

  async function look(files: Promise<Parameters<typeof check>[1]> | Parameters<typeof check>[1]) {
    if (!list) return;
    busy = 'Reading the folder…';
    verdict = undefined;
    try {
      const own = await files;
      verdict = await check(list, own, (done, all) => (busy = `Comparing ${done} of ${all} files…`));
    } catch (e) {
      trouble = `Your folder could not be read: ${e instanceof Error ? e.message : String(e)}`;
    } finally {
      busy = '';
    }
  }

  const words = { add: 'Add', replace: 'Replace', remove: 'Take away' };
  function turn(c: { what: string; was?: string; is?: string }): string {
    if (c.what === 'add') return `new, ${c.is ?? ''}`;
    if (c.what === 'replace') return `${c.was ?? ''} → ${c.is ?? ''}`;
    if (c.what === 'drop') return 'needed no longer';
    return (
      { must: 'you must have it now', may: 'you may leave it out now' }[c.is ?? ''] ?? 'you must not have it'
    );
  }
  async function copy() {
    await navigator.clipboard.writeText(list?.text ?? '');
    copied = true;
  }
</script>

<main class="mx-auto max-w-3xl px-4 py-8 print:max-w-none">
  {#if trouble && !list}
    <h1>Packing list</h1>
    <p role="alert" class="mt-4">{trouble}</p>
  {:else if list}
    <p class="label">Packing list · {list.game}</p>
    <h1 class="mt-1 [overflow-wrap:anywhere]">{list.title}</h1>
    {#if list.join}
      <p class="mt-2">Join at <span class="mono text-[17px] [overflow-wrap:anywhere]">{list.join}</span></p>
    {/if}
    {#if list.words}<p class="mt-4 max-w-prose whitespace-pre-line [overflow-wrap:anywhere]">
        {list.words}
      </p>{/if}

    {#if list.changes?.length && list.before}
      <section class="mt-6 border-l-4 border-note bg-note-bg px-4 py-3">
        <h2>Since {clock(list.before)}</h2>
        <ul class="mt-1">
          {#each list.changes as c (c.name)}
            <li>
              <b>{c.name}</b>: {turn(c)}
            </li>
          {/each}
        </ul>
      </section>
    {/if}

    {#each groups as g (g.head)}
      {#if g.list.length}
        <h2 class="mt-8 mb-2">{g.head}</h2>
        <ul class="border border-rule bg-sheet">
          {#each g.list as e (e.name)}
            <li class="row px-4 py-3 break-inside-avoid" data-entry={e.name}>
              <div class="flex flex-wrap items-baseline gap-x-3">
                <b class="[overflow-wrap:anywhere]">{e.name}</b>
                <span class="mono">{e.version}</span>
                {#if e.size}<span class="reason">{size(e.size)}</span>{/if}
              </div>
              {#if e.note}<p class="[overflow-wrap:anywhere]">{e.note}</p>{/if}
              {#if e.source?.includes('://')}
                <p>
                  <a class="underline [overflow-wrap:anywhere]" href={e.source} rel="noreferrer">{e.source}</a
                  >
                </p>
              {/if}
              {#if e.files?.length}
                <details class="mt-1">
                  <summary class="reason cursor-pointer py-1">
                    {e.files.length === 1
                      ? '1 file with its SHA-256'
                      : `${e.files.length} files with their SHA-256`}
                  </summary>
                  <ul>
                    {#each e.files as f (f.path)}
                      <li class="mono mt-1 text-[12px] [overflow-wrap:anywhere]">
                        {f.path}<br /><span class="text-ink-soft">{size(f.size)} · {f.sha256}</span>
                      </li>
                    {/each}
                  </ul>
                </details>
              {/if}
            </li>
          {/each}
        </ul>
      {/if}
    {/each}
    {#if !groups.some((g) => g.list.length)}
      <p class="mt-8">Nothing is needed: join as you are.</p>
    {/if}

    {#if list.oddities?.length}
      <h2 class="mt-8 mb-2">Looks wrong, and is harmless</h2>
      <ul class="list-disc pl-5">
        {#each list.oddities as o (o)}<li>{o}</li>{/each}
      </ul>
    {/if}

    <div class="mt-8 flex flex-wrap gap-3 print:hidden">
      {#if list.bundle}<a class="button main" href="{here}/parts.zip" download
          >Download what may be handed out</a
        >{/if}
      <button class="button" onclick={copy}>{copied ? 'Copied' : 'Copy as text'}</button>
      <button class="button" onclick={() => print()}>Print</button>
    </div>

    <section
      class="mt-8 border border-dashed border-ink-soft px-5 py-5 print:hidden {over ? 'bg-note-bg' : ''}"
      aria-labelledby="mine"
      ondragover={(e) => {
        e.preventDefault();
        over = true;
      }}
      ondragleave={() => (over = false)}
      ondrop={(e) => {
        e.preventDefault();
        over = false;
        if (e.dataTransfer) void look(dropped(e.dataTransfer.items));
      }}
    >
      <h2 id="mine" class="mb-2">Is mine right?</h2>
      <div>
        <p>
          Drop the folder of your game here, or choose it. It is compared in this browser; <b
            >nothing is uploaded</b
          >.
        </p>
        <label class="button mt-3 inline-block cursor-pointer">
          Choose a folder…
          <input
            type="file"
            webkitdirectory
            class="sr-only"
            aria-label="Choose a folder"
            onchange={(e) => {
              const files = e.currentTarget.files;
              if (files) void look(chosen(files));
            }}
          />
        </label>
        <p role="status" class="mt-3">{busy}</p>
      </div>
      {#if trouble}<p role="alert" class="mt-3">{trouble}</p>{/if}
      {#if verdict}
        <div class="mt-4" role="status" data-verdict>
          {#if !verdict.deeds.length}
            <p class="ok-ink">
              <b>All of it is right.</b>
              {verdict.right.length} of the list are there as they must be.
            </p>
          {:else}
            <ul class="border border-rule bg-sheet">
              {#each verdict.deeds as d (d.what + d.entry.name)}
                <li class="row px-4 py-2" data-deed={d.what}>
                  <span class="label">{words[d.what]}</span>
                  <b>{d.entry.name}</b> <span class="mono">{d.what === 'remove' ? '' : d.entry.version}</span>
                  {#each d.own as path (path)}
                    <span class="mono block text-[13px] [overflow-wrap:anywhere]"
                      >{d.what === 'remove' ? 'take away' : 'instead of'} {path}</span
                    >
                  {/each}
                  {#each d.missing.slice(0, 5) as path (path)}
                    <span class="mono block text-[13px] [overflow-wrap:anywhere]">put {path}</span>
                  {/each}
                  {#if d.missing.length > 5}<span class="reason block"
                      >and {d.missing.length - 5} files more</span
                    >{/if}
                </li>
              {/each}
            </ul>
          {/if}
          <p class="reason mt-2">
            {verdict.files} files looked at, {verdict.read} of them read.
            {#if verdict.could.length}You could add {verdict.could.map((e) => e.name).join(', ')}.{/if}
          </p>
        </div>
      {/if}
    </section>
    <p class="reason mt-10">
      {#if list.since}As it is since {clock(list.since)}.{/if}
      <a class="underline" href="{here}/list.txt">As a text</a> ·
      <a class="underline" href="{here}/list.json">as JSON</a>
    </p>
  {:else}
    <p role="status">Reading the list…</p>
  {/if}
</main>
