<!-- The sheet that says how a server is stopped, started and spoken to, and what its
     probes give once that is kept. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Control, type Standing } from '../api/client';
  import { attempting } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Stamp from '../ui/Stamp.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import WayFields from './WayFields.svelte';
  import { acts, blankControl, blankWay, controlOf, saidControl, type WayForm } from './control';

  let { open = $bindable(), server, known }: { open: boolean; server: string; known?: Control } = $props();
  const client = useQueryClient();
  const attempt = attempting();
  let form = $state(blankControl());
  let gave = $state<Standing>();
  $effect(() => {
    if (open) {
      form = controlOf(known ?? {});
      gave = undefined;
    }
  });
  // Secrets that are spoken of get a field as soon as they are.
  $effect(() => {
    for (const name of saidControl(form).meant)
      if (!form.secrets.some((s) => s.name === name)) form.secrets.push({ name, value: '' });
  });

  const ways: [WayForm['by'], string][] = [
    ['', 'not known'],
    ['command', 'a command on the service’s machine'],
    ['ssh', 'a command on the server’s host, over SSH'],
    ['http', 'an HTTP request'],
    ['rcon', 'a line for its console (RCON)'],
    ['hand', 'a person does it']
  ];
  const finders: [WayForm['by'], string][] = [
    ['command', 'a command on the service’s machine'],
    ['ssh', 'a command on the server’s host, over SSH'],
    ['port', 'something listens on a port'],
    ['http', 'an HTTP request'],
    ['rcon', 'its console answers (RCON)']
  ];
  /** What is done where nothing is said of an act. */
  const otherwise: Partial<Record<(typeof acts)[number], string>> = {
    restart: 'stop, then start',
    reload: 'its console below, if there is one',
    say: 'its console below, if there is one'
  };
  const waysOf = (act: (typeof acts)[number]) =>
    ways.map(([by, words]): (typeof ways)[number] => [by, by === '' ? (otherwise[act] ?? words) : words]);
  const hints: Partial<Record<(typeof acts)[number], string>> = {
    start: '{NAME} stands for a variable of the server, such as {program}.',
    reload: '{addon} stands for the line that the rulebook knows.',
    say: '{line} stands for the line.'
  };

  const call = () => ({ params: { path: { server } } });
  const keep = (e: SubmitEvent) => {
    e.preventDefault();
    void attempt.run('keep', async () => {
      const { control, secrets } = saidControl(form);
      await ok(api.PUT('/servers/{server}/control', { ...call(), body: { control, secrets } }));
      await client.invalidateQueries({ queryKey: ['control', server] });
      await client.invalidateQueries({ queryKey: ['standing', server] });
      if (!Object.keys(control).length) {
        open = false;
        return;
      }
      gave = await ok(api.GET('/servers/{server}/standing', call()));
    });
  };
</script>

<Sheet
  bind:open
  wide
  saved={gave}
  title="How {server} is controlled"
  about="Everything here may be left out. A secret that is left empty stays as it is; it is never shown."
>
  <form class="space-y-5" onsubmit={keep}>
    <section class="space-y-2">
      <h3 class="label">Does it run?</h3>
      {#each form.probes as p, i (p)}
        <div class="flex items-start gap-2">
          <div class="min-w-0 flex-1">
            <WayFields label="Probe {i + 1}" bind:way={form.probes[i]!} ways={finders} probes />
          </div>
          <Button kind="quiet" onclick={() => (form.probes = form.probes.filter((o) => o !== p))}
            >Take out</Button
          >
        </div>
      {:else}
        <p class="reason">
          Without a probe nothing proves that it has stopped, so a deployment does not stop it.
        </p>
      {/each}
      <Button onclick={() => form.probes.push({ ...blankWay(), by: 'command', method: 'GET' })}
        >Add a probe</Button
      >
    </section>
    <section class="space-y-2">
      <h3 class="label">What is done to it</h3>
      {#each acts as act (act)}
        <WayFields label={act} bind:way={form.acts[act]} ways={waysOf(act)} hint={hints[act]} />
      {/each}
    </section>
    <section class="grid gap-3 sm:grid-cols-3">
      <Labelled label="Console (RCON)"
        ><input class="input mono" placeholder="host:port" bind:value={form.rcon} /></Labelled
      >
      <Labelled label="Stops within, s"
        ><input class="input" inputmode="numeric" placeholder="60" bind:value={form.stopWithin} /></Labelled
      >
      <Labelled label="Is ready within, s"
        ><input class="input" inputmode="numeric" placeholder="180" bind:value={form.readyWithin} /></Labelled
      >
    </section>
    <section class="space-y-2">
      <h3 class="label">Players are told before a stop</h3>
      {#each form.warn as w (w)}
        <div class="grid grid-cols-[84px_minmax(0,1fr)_auto] items-center gap-2">
          <input class="input" inputmode="numeric" aria-label="Seconds before" bind:value={w.seconds} />
          <input
            class="input mono"
            aria-label="Line"
            placeholder={'say closing in {seconds} seconds'}
            bind:value={w.line}
          />
          <Button kind="quiet" onclick={() => (form.warn = form.warn.filter((o) => o !== w))}>Take out</Button
          >
        </div>
      {/each}
      <Button onclick={() => form.warn.push({ seconds: '30', line: '' })}>Add a warning</Button>
    </section>
    {#if form.secrets.length}
      <section class="grid gap-3 sm:grid-cols-2">
        {#each form.secrets as s (s.name)}
          <Labelled
            label="Secret: {s.name}"
            help={s.name === 'rcon' ? 'The password of the console.' : undefined}
          >
            <input class="input" type="password" autocomplete="new-password" bind:value={s.value} />
          </Labelled>
        {/each}
      </section>
    {/if}
    {#if attempt.error}<Trouble error={attempt.error} />{/if}
    {#if gave}
      <div class="box px-4 py-2.5" data-gave={gave.condition}>
        <div class="flex items-center gap-3">
          <Stamp
            small
            word={gave.condition}
            tone={gave.condition === 'running' ? 'ok' : gave.condition === 'stopped' ? 'ink' : 'warn'}
          />
          Kept. The probes were asked:
        </div>
        {#each gave.probes as p, i (i)}
          <div class="reason mt-1">{i + 1}. {p.by}: {p.words} ({p.condition})</div>
        {:else}
          <div class="reason mt-1">There is none.</div>
        {/each}
      </div>
    {/if}
    <Button kind="main" type="submit" disabled={!!attempt.busy}
      >{attempt.busy ? 'Asking the probes…' : 'Keep it and ask the probes'}</Button
    >
  </form>
</Sheet>
