<!-- A schedule by its everyday form: what, where, at which time of which days. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import { crates, servers } from '../api/queries';
  import PickCrates from '../deploy/PickCrates.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Tick from '../ui/Tick.svelte';
  import { cronAt } from './schedules';

  let { open = $bindable(), done }: { open: boolean; done: () => Promise<unknown> } = $props();
  const list = createQuery(servers);
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  let name = $state('');
  let server = $state('');
  let what = $state<'update' | 'deploy' | 'survey' | 'restart'>('update');
  let chosenCrates = $state<Record<string, string>>({});
  let once = $state('');
  let warn = $state('');
  let time = $state('04:00');
  let day = $state('*');
  let empty = $state(false);
  let orUndo = $state(true);
  const staged = createQuery(() => ({ ...crates(), enabled: open && what === 'deploy' }));
  let book = $derived(list.data?.find((s) => s.name === chosen)?.rulebook);
  let chosen = $derived(server || (list.data?.[0]?.name ?? ''));
  const days: [string, string][] = [
    ['*', 'every day'],
    ['1', 'Mondays'],
    ['2', 'Tuesdays'],
    ['3', 'Wednesdays'],
    ['4', 'Thursdays'],
    ['5', 'Fridays'],
    ['6', 'Saturdays'],
    ['0', 'Sundays']
  ];
  async function send() {
    await ok(
      api.POST('/schedules', {
        body: {
          name: name.trim(),
          server: chosen,
          does: what,
          cron: once ? undefined : cronAt(time, day),
          once: once ? new Date(once).toISOString() : undefined,
          zone,
          warnings: warn.trim() ? [{ before: 300, line: warn.trim() }] : undefined,
          empty,
          deploy:
            what === 'update'
              ? { orUndo }
              : what === 'deploy'
                ? { orUndo, crates: Object.values(chosenCrates) }
                : undefined
        }
      })
    );
    await done();
    name = '';
  }
</script>

<FormSheet
  bind:open
  title="Add a schedule"
  about="It may begin up to an hour late. What is missed is told, and not made up for."
  words={['Add it', 'Adding…']}
  disabled={what === 'deploy' && Object.keys(chosenCrates).length === 0}
  {send}
>
  <Labelled label="Name" help="Lower-case letters, digits and hyphens.">
    <input class="input mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="31" bind:value={name} />
  </Labelled>
  <Labelled label="Server">
    <select class="input" bind:value={() => chosen, (v) => (server = v)}>
      {#each list.data ?? [] as s (s.name)}<option value={s.name}>{s.name}</option>{/each}
    </select>
  </Labelled>
  <Labelled label="What">
    <select class="input" bind:value={what}>
      <option value="update">update what is newer and fits</option>
      <option value="deploy">deploy what is chosen</option>
      <option value="survey">survey</option>
      <option value="restart">restart</option>
    </select>
  </Labelled>
  {#if what === 'deploy'}
    <PickCrates crates={(staged.data ?? []).filter((c) => c.rulebook === book)} bind:chosen={chosenCrates} />
  {/if}
  <div class="flex flex-wrap gap-3">
    <Labelled label="Once, at" help="Empty where it is done again and again."
      ><input class="input w-auto" type="datetime-local" bind:value={once} /></Labelled
    >
  </div>
  {#if !once}<div class="flex flex-wrap gap-3">
      <Labelled label="Time"><input class="input w-auto" type="time" required bind:value={time} /></Labelled>
      <Labelled label="Days" help="By the clocks of {zone}.">
        <select class="input w-auto" bind:value={day}>
          {#each days as [d, words] (d)}<option value={d}>{words}</option>{/each}
        </select>
      </Labelled>
    </div>{/if}
  <Labelled
    label="Line for the console, 5 minutes before"
    help="Such as say Back in ten minutes; empty for none."
  >
    <input class="input mono" bind:value={warn} />
  </Labelled>
  <div class="flex flex-wrap gap-x-5">
    <Tick bind:checked={empty}>only while no player is on</Tick>
    {#if what === 'update' || what === 'deploy'}<Tick bind:checked={orUndo}
        >take it back where it does not load</Tick
      >{/if}
  </div>
</FormSheet>
