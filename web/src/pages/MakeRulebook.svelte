<!-- The interview: a rulebook from a server's tree, a download or two, and four
     questions, each with what is believed and why. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Proposed, type Staged, type StagedByBook, problemOf } from '../lib/api/client';
  import { result } from '../lib/api/jobs';
  import { servers } from '../lib/api/queries';
  import AnswerField from '../lib/rulebook/AnswerField.svelte';
  import Tried from '../lib/rulebook/Tried.svelte';
  import Dropzone from '../lib/staging/Dropzone.svelte';
  import type { Pick } from '../lib/staging/pick';
  import { uploadWhole } from '../lib/staging/upload';
  import { attempting } from '../lib/attempt.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Head from '../lib/ui/Head.svelte';
  import Labelled from '../lib/ui/Labelled.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';
  import { navigate } from '../router';

  const client = useQueryClient();
  const list = createQuery(servers);
  let title = $state('');
  let named = $state('');
  let name = $derived(
    named ||
      title
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-|-$/g, '')
        .slice(0, 31)
  );
  let server = $state('');
  let downloads = $state<Staged['archive'][]>([]);
  let answers = $state<Record<string, string>>({});
  let made = $state<Proposed>();
  let tried = $state<StagedByBook[]>([]);
  const attempt = attempting();
  let learnt = $derived(server !== '' || downloads.length > 0);

  /** Asks again with what is known now. */
  const ask = () => attempt.run('ask', propose);

  async function propose() {
    tried = [];
    const body = {
      name: name || 'my-game',
      title: title || 'My game',
      server: server || undefined,
      archives: downloads.map((d) => d.digest),
      answers: $state.snapshot(answers)
    };
    made = await ok(api.POST('/rulebooks/propose', { body }));
  }

  const learn = (picks: Pick[]) =>
    attempt.run('learn', async () => {
      for (const pick of picks) {
        const staged = await result<Staged>(await uploadWhole(pick, { keepOnly: 'true' }));
        downloads = [...downloads.filter((d) => d.digest !== staged.archive.digest), staged.archive];
      }
      await propose();
    });

  const tryIt = () =>
    attempt.run('try', async () => {
      const text = made?.text ?? '';
      tried = await Promise.all(
        downloads.map((d) => ok(api.POST('/rulebooks/try', { body: { text, archive: d.digest } })))
      );
    });

  const keep = (over = false) =>
    attempt.run('keep', async () => {
      await propose(); // what was typed last may not have been asked about yet
      const b = await ok(api.POST('/rulebooks', { body: { text: made?.text ?? '', over } }));
      await client.invalidateQueries({ queryKey: ['rulebooks'] });
      await navigate('/rulebooks/:name', { params: { name: b.name }, search: { at: 'edit' } });
    });

  function answer(key: string, value: string) {
    answers[key] = value;
    void ask();
  }
</script>

<Head title="Make a rulebook">
  {#if made?.text}
    {#if attempt.error && problemOf(attempt.error).code === 'others-rulebook'}
      <Button disabled={attempt.busy !== ''} onclick={() => keep(true)}>Make it the next revision</Button>
    {/if}
    {#if downloads.length}<Button disabled={attempt.busy !== ''} onclick={tryIt}
        >{attempt.busy === 'try' ? 'Trying…' : 'Try it'}</Button
      >{/if}
    <Button kind="main" disabled={attempt.busy === 'keep' || title === ''} onclick={() => keep()}
      >Keep it</Button
    >
  {/if}
</Head>

<div class="grid gap-3 sm:grid-cols-3">
  <Labelled label="The game's name"><input class="input" bind:value={title} onchange={ask} /></Labelled>
  <Labelled label="What the rulebook is called">
    <input class="input mono" bind:value={() => name, (v) => (named = v)} onchange={ask} />
  </Labelled>
  <Labelled label="A server of it" help="Its tree is looked at; nothing is touched.">
    <select class="input" bind:value={server} onchange={ask}>
      <option value="">none yet</option>
      {#each list.data ?? [] as s (s.name)}<option value={s.name}>{s.name}</option>{/each}
    </select>
  </Labelled>
</div>
<div class="mt-4">
  <Dropzone
    onpick={learn}
    main={false}
    about="Downloads of the game's add-ons show how they are packed; they are kept, and nothing is laid out."
  >
    <span class="reason">
      {downloads.length
        ? `Learning from ${downloads.map((d) => d.filename).join(', ')}`
        : 'Drop one or two downloads to learn from.'}
    </span>
  </Dropzone>
</div>
{#if attempt.error}<Trouble error={attempt.error} />{/if}

{#if made && learnt}
  <div class="mt-5 grid items-start gap-5 lg:grid-cols-2">
    <div class="space-y-4">
      {#each made.questions as q (q.key)}
        <AnswerField question={q} given={answers[q.key]} onanswer={(v) => answer(q.key, v)} />
      {/each}
      {#if made.missing}<p class="warn-ink">{made.missing}</p>{/if}
    </div>
    {#if made.text}<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <pre
        class="mono box overflow-x-auto p-3"
        tabindex="0"
        role="region"
        aria-label="The rulebook as it would be">{made.text}</pre>{/if}
  </div>
  {#each tried as t, i (i)}<Tried tried={t} filename={downloads[i]?.filename ?? ''} />{/each}
{/if}
