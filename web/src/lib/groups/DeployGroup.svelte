<!-- Crates for every server of a group: a draft is made for each, and then read and run. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, ok, type Group, type GroupRun } from '../api/client';
  import { result } from '../api/jobs';
  import { crates, servers } from '../api/queries';
  import PickCrates from '../deploy/PickCrates.svelte';
  import FormSheet from '../ui/FormSheet.svelte';
  import Tick from '../ui/Tick.svelte';

  interface Props {
    open: boolean;
    group: Group;
    done: (drafted: GroupRun) => Promise<unknown>;
  }
  let { open = $bindable(), group, done }: Props = $props();
  const all = createQuery(servers);
  const staged = createQuery(() => crates());
  let books = $derived(
    new Set((all.data ?? []).filter((s) => group.servers.includes(s.name)).map((s) => s.rulebook))
  );
  let fit = $derived((staged.data ?? []).filter((c) => books.has(c.rulebook)));
  let chosen = $state<Record<string, string>>({});
  let orUndo = $state(true);

  async function send() {
    const body = { crates: Object.values(chosen), orUndo };
    const job = await ok(
      api.POST('/groups/{group}/drafts', { params: { path: { group: group.name } }, body })
    );
    await done(await result<GroupRun>(job));
    chosen = {};
  }
</script>

<FormSheet
  bind:open
  title="Deploy to {group.name}"
  about="A draft is made for each of {group.servers.join(
    ', '
  )}. Nothing on them is touched before you have read them."
  words={['Draft for each', 'Looking at the servers…']}
  disabled={Object.keys(chosen).length === 0}
  {send}
>
  <PickCrates crates={fit} bind:chosen />
  <Tick bind:checked={orUndo}>take it back on a server where it does not load</Tick>
</FormSheet>
