<!-- The rulebooks, and adding one. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, problemOf } from '../lib/api/client';
  import { attempting } from '../lib/attempt.svelte';
  import { rulebooks } from '../lib/api/queries';
  import { clock } from '../lib/format';
  import Word from '../lib/help/Word.svelte';
  import Starter from '../lib/rulebook/Starter.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Empty from '../lib/ui/Empty.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { navigate, p } from '../router';

  const client = useQueryClient();
  const q = createQuery(rulebooks);
  let starting = $state(false);
  let file = $state<HTMLInputElement>();
  let text: string | undefined; // of the file that was chosen last
  const attempt = attempting();

  async function add() {
    text = await file?.files?.[0]?.text();
    if (file) file.value = ''; // so that the same file can be chosen again
    await keep(false);
  }

  async function keep(over: boolean) {
    const chosen = text;
    if (chosen === undefined) return;
    await attempt.run('add', async () => {
      const b = await ok(api.POST('/rulebooks', { body: { text: chosen, over } }));
      await client.invalidateQueries({ queryKey: ['rulebooks'] });
      await client.invalidateQueries({ queryKey: ['rulebook', b.name] });
      await navigate('/rulebooks/:name', { params: { name: b.name } });
    });
  }
</script>

<Head title="Rulebooks">
  {#snippet beside()}<Word is="rulebook" />{/snippet}
  <Button onclick={() => (starting = true)}>Begin with a shape…</Button>
  <Button onclick={() => file?.click()}>Add from a file…</Button>
  <Button kind={q.data?.length ? 'plain' : 'main'} href={p('/make-rulebook')}>Make one from questions…</Button
  >
</Head>

<Starter bind:open={starting} />
<input bind:this={file} type="file" accept=".yaml,.yml" hidden data-rulebook onchange={add} />
{#if attempt.error}
  <Trouble error={attempt.error} />
  {#if problemOf(attempt.error).code === 'others-rulebook'}
    <Button onclick={() => keep(true)}>Make it the next revision</Button>
  {/if}
{/if}
{#if q.error}
  <Trouble error={q.error} />
{:else if q.data?.length === 0}
  <Empty title="No rulebook yet" picture="book">
    <p>
      A rulebook is a YAML file that describes one game's server: its places, and what kinds of add-on go
      there.
    </p>
    <p>Four questions make one: the program looks at a server or a download and says what it believes.</p>
    <Button kind="main" href={p('/make-rulebook')}>Make one from questions…</Button>
  </Empty>
{:else if q.data}
  <table class="table">
    <thead
      ><tr
        ><th class="label">Rulebook</th><th class="label">Name</th><th class="label">Revision</th><th
          class="label max-sm:hidden">Added</th
        ></tr
      ></thead
    >
    <tbody>
      {#each q.data as b (b.name)}
        <tr data-row>
          <td
            ><a class="font-semibold" data-open href={p('/rulebooks/:name', { params: { name: b.name } })}
              >{b.title}</a
            ></td
          >
          <td class="mono">{b.name}</td>
          <td>{b.revision}</td>
          <td class="reason max-sm:hidden">{clock(b.createdAt)} by {b.actor}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}
