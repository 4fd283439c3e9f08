<!-- One server: is everything that I put there as it should be? -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { status } from '../lib/api/queries';
  import DeployDialog from '../lib/deploy/DeployDialog.svelte';
  import About from '../lib/server/About.svelte';
  import Addons from '../lib/server/Addons.svelte';
  import Adopt from '../lib/server/Adopt.svelte';
  import Compare from '../lib/server/Compare.svelte';
  import BringFrom from '../lib/server/BringFrom.svelte';
  import Company from '../lib/server/Company.svelte';
  import Files from '../lib/server/Files.svelte';
  import Learn from '../lib/server/Learn.svelte';
  import OpenDeployment from '../lib/server/OpenDeployment.svelte';
  import Running from '../lib/server/Running.svelte';
  import Players from '../lib/server/Players.svelte';
  import Survey from '../lib/server/Survey.svelte';
  import Tabs from '../lib/server/Tabs.svelte';
  import Timeline from '../lib/server/Timeline.svelte';
  import Texts from '../lib/texts/Texts.svelte';
  import Updates from '../lib/server/Updates.svelte';
  import { reachedBy, standing } from '../lib/standing';
  import { clock } from '../lib/format';
  import Button from '../lib/ui/Button.svelte';
  import FindingRow from '../lib/ui/FindingRow.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Stamp from '../lib/ui/Stamp.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { route } from '../router';

  let name = $derived(route.params.server ?? '');
  let tab = $derived(route.params.tab ?? 'add-ons');
  const q = createQuery(() => status(name));
  let stands = $derived(standing(q.data));
  let deploying = $state(false);
  let bringing = $state(false);
  $effect(() => {
    if (route.search.asked && route.search.do === 'deploy') deploying = true;
  });
</script>

{#if q.data}
  {@const s = q.data}
  <Head title={s.server.name}>
    {#snippet beside()}
      <Stamp small word={stands.word} tone={stands.tone} />
      <span class="min-w-0 text-ink-soft [overflow-wrap:anywhere]"
        >{s.server.rulebook} · {reachedBy(s.server.transport)}</span
      >
    {/snippet}
    {#if tab === 'add-ons'}<Button onclick={() => (bringing = true)}>Bring from another server…</Button>{/if}
    <Button
      kind={['texts', 'learn', 'updates', 'compare', 'players', 'files', 'about'].includes(tab)
        ? 'plain'
        : 'main'}
      onclick={() => (deploying = true)}>Deploy…</Button
    >
  </Head>
  <Tabs
    server={name}
    at={tab}
    figures={{ 'add-ons': s.addons.length, files: s.files }}
    learning={s.server.learning}
  />
  {#if s.open}<OpenDeployment deployment={s.open} />{/if}
  {#each s.queue as waits (waits.name)}<OpenDeployment deployment={waits} />{/each}
  {#if tab === 'add-ons'}
    {#if s.agree?.found.length}
      <section class="mb-4 border border-rule">
        <p class="label px-4 pt-2">
          Values that do not go together, seen at {clock(s.agree.at)} by {s.agree.by}
        </p>
        {#each s.agree.found as f, i (i)}<FindingRow finding={f} />{/each}
      </section>
    {/if}
    <Company status={s} />
    <Addons status={s} />
  {:else if tab === 'updates'}
    <Updates server={name} />
  {:else if tab === 'running'}
    <Running server={name} />
  {:else if tab === 'files'}
    <Files server={name} />
  {:else if tab === 'survey'}
    <Survey server={name} deployed={s.last?.endedAt} />
    <Adopt server={name} />
  {:else if tab === 'learn'}
    <Learn server={name} />
  {:else if tab === 'texts'}
    <Texts server={name} />
  {:else if tab === 'timeline'}
    <Timeline server={name} addons={s.addons} />
  {:else if tab === 'compare'}
    <Compare server={name} />
  {:else if tab === 'players'}
    <Players server={name} />
  {:else if tab === 'about'}
    <About server={s.server} />
  {/if}
  <BringFrom bind:open={bringing} server={s.server} />
  <DeployDialog bind:open={deploying} server={s.server} addons={s.addons} />
{:else if q.error}
  <Head title={name} />
  <Trouble error={q.error} />
{/if}
