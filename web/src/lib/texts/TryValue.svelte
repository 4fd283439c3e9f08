<!-- Tuning one value: it is set, counts as its text does, and the lines that come are shown.
     Every try is a deployment; done leaves one tweak, giving up puts back what was there. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Deployment, type TextValue } from '../api/client';
  import { result } from '../api/jobs';
  import { draft } from '../api/queries';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { between, stepped, type Try } from './trying';
  import { askingOf, named } from './values';

  interface Props {
    open: boolean;
    server: string;
    path: string;
    value: TextValue;
  }
  let { open = $bindable(), server, path, value: v }: Props = $props();

  const client = useQueryClient();
  // svelte-ignore state_referenced_locally
  const first = v.value ?? ''; // a trial is about the value as it was when it was opened
  let now = $state(first);
  let typed = $state(first);
  let tries = $state<Try[]>([]);
  let busy = $state('');
  let error = $state<unknown>();
  let asked = $derived(askingOf(v));
  let middle = $derived(between(first, tries));

  async function run(ask: Parameters<typeof draft>[1]): Promise<Deployment> {
    const d = await draft(server, ask);
    if (d.blocks) throw new Error(`${d.name} is blocked: ${d.findings.map((f) => f.what).join(' ')}`);
    return result<Deployment>(
      await ok(
        api.POST('/servers/{server}/deployments/{number}/run', {
          params: { path: { server, number: d.number } },
          body: { digest: d.digest }
        })
      )
    );
  }

  async function log(from: string) {
    return ok(api.GET('/servers/{server}/log', { params: { path: { server }, query: { from } } }));
  }

  /** The lines that come within a few seconds, until none comes any more. */
  async function heard(from: string): Promise<string[]> {
    const lines: string[] = [];
    for (let round = 0; round < 10; round++) {
      const piece = await log(from);
      from = piece.next;
      if (piece.lines.length === 0 && lines.length) break;
      lines.push(...piece.lines.map((l) => l.text));
      await new Promise((r) => setTimeout(r, 300));
    }
    return lines;
  }

  async function once(words: string, act: () => Promise<void>) {
    busy = words;
    error = undefined;
    try {
      await act();
    } catch (e) {
      error = e;
    } finally {
      busy = '';
    }
  }

  const attempt = (to: string) =>
    once(`Setting it to ${to}…`, async () => {
      typed = to;
      const from = await log('').then(
        (piece) => piece.next,
        () => '' // a server without a log says nothing
      );
      await run({
        tweaks: [{ path, note: `tried after ${now}`, tweak: { do: 'set', at: v.path, value: to } }]
      });
      now = to;
      tries = [...tries, { value: to, note: '', lines: from ? await heard(from).catch(() => []) : [] }];
    });

  const giveUp = () =>
    once('Putting it back…', async () => {
      const held = await ok(api.GET('/servers/{server}/tweaks', { params: { path: { server } } }));
      const mine = held.items.find((k) => k.path === path && k.at === v.path);
      if (mine) await run({ untweak: [mine.id] });
      await close();
    });

  async function close() {
    open = false;
    await client.invalidateQueries({ queryKey: ['text', server] });
  }
</script>

<Sheet
  bind:open
  title="Try {named(v.path).name}"
  about="Each value is set and counts as this text’s changes do. Done leaves one tweak; giving up puts back {first}."
>
  {#if v.comment}<p class="reason mb-2">{v.comment}</p>{/if}
  <form
    class="flex flex-wrap items-end gap-2"
    onsubmit={(e) => {
      e.preventDefault();
      void attempt(typed);
    }}
  >
    <div class="min-w-0 flex-1">
      <Labelled label="The next value">
        <input class="input mono" bind:value={typed} autocomplete="off" inputmode="decimal" />
      </Labelled>
    </div>
    <Button disabled={busy !== ''} title="A step down" onclick={() => attempt(stepped(now, false))}>−</Button>
    <Button disabled={busy !== ''} title="A step up" onclick={() => attempt(stepped(now, true))}>+</Button>
    <Button kind="main" type="submit" disabled={busy !== '' || typed === now}>Try it</Button>
  </form>
  {#if asked.least !== undefined && asked.most !== undefined}
    <input
      type="range"
      class="mt-2 w-full accent-[var(--act)]"
      min={asked.least}
      max={asked.most}
      aria-label="The next value, between {asked.least} and {asked.most}"
      bind:value={() => Number(typed), (n) => (typed = String(n))}
    />
  {/if}
  <p class="mt-2 flex flex-wrap items-center gap-3" role="status">
    <span>{busy || `It is ${now}.`}</span>
    {#if middle !== undefined && !busy}<Button kind="quiet" onclick={() => attempt(middle)}
        >Between the last two: {middle}</Button
      >{/if}
  </p>
  {#if error}<Trouble {error} />{/if}
  {#if tries.length}
    <div class="box mt-2 max-h-[40vh] overflow-y-auto" data-tries>
      {#each tries.toReversed() as t, i (tries.length - i)}
        <div class="row px-3 py-2">
          <div class="flex flex-wrap items-center gap-3">
            <b class="mono">{t.value}</b>
            <input
              class="input max-w-64"
              placeholder="What you saw"
              aria-label="What you saw with {t.value}"
              bind:value={t.note}
            />
          </div>
          {#each t.lines as line, n (n)}<div class="mono text-ink-soft [overflow-wrap:anywhere]">
              {line}
            </div>{:else}
            <div class="reason">The log says nothing of it.</div>{/each}
        </div>
      {/each}
    </div>
  {/if}
  <div class="mt-3 flex flex-wrap gap-3">
    <Button disabled={busy !== ''} onclick={close}>Done: {now} stays</Button>
    <Button disabled={busy !== '' || tries.length === 0} onclick={giveUp}>Give up: back to {first}</Button>
  </div>
</Sheet>
