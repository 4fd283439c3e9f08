<!-- A server that was added without a rulebook teaches it: what is believed of it and why, one
     question after the other, and a place to drop downloads for it. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok, type Lesson, type Staged, type StagedByBook, type Teach } from '../api/client';
  import { result } from '../api/jobs';
  import { lessons } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import { count } from '../format';
  import AnswerField from '../rulebook/AnswerField.svelte';
  import Dropzone from '../staging/Dropzone.svelte';
  import type { Pick } from '../staging/pick';
  import { uploadWhole } from '../staging/upload';
  import Button from '../ui/Button.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import { p } from '../../router';

  let { server }: { server: string } = $props();
  const client = useQueryClient();
  const q = createQuery(() => lessons(server));
  const attempt = attempting();
  let picked = $state<{ key: string; value: string }>();
  let made = $state<StagedByBook[]>([]);
  let kept = $state<string[]>([]);
  let question = $derived(q.data?.questions[0]);
  let answer = $derived(
    question && picked?.key === question.key + q.data?.about
      ? picked.value
      : (question?.options[0]?.value ?? '')
  );
  let crates = $derived(made.flatMap((b) => b.crates));

  function taken(l: Lesson) {
    client.setQueryData(['lessons', server], l);
    made = [...made, ...(l.laid ?? [])];
    kept = l.kept ?? [];
    picked = undefined;
    if (l.fresh) {
      void client.invalidateQueries({ queryKey: ['crates'] });
      void client.invalidateQueries({ queryKey: ['rulebooks'] });
    }
  }

  const teach = (body: Teach) =>
    attempt.run('teach', async () => {
      try {
        taken(await ok(api.POST('/servers/{server}/lessons', { params: { path: { server } }, body })));
      } catch (e) {
        await client.invalidateQueries({ queryKey: ['lessons', server] }); // somebody else may have answered
        throw e;
      }
    });

  const stage = (picks: Pick[]) =>
    attempt.run('stage', async () => {
      for (const pick of picks) {
        const staged = await result<Staged>(await uploadWhole(pick, { for: server }));
        made = [...made, ...staged.rulebooks];
        if (staged.lesson) taken(staged.lesson);
      }
    });
</script>

{#if q.error}
  <Trouble error={q.error} />
{:else if !q.data}
  <p class="text-ink-soft">Looking at {server}…</p>
{:else}
  <div class="grid items-start gap-5 lg:grid-cols-[3fr_2fr]">
    <div class="space-y-4">
      {#if question}
        <p class="label">
          {count(q.data.questions.length, 'question')} open{q.data.questions.length > 1
            ? ', one after the other'
            : ''}
        </p>
        {#key question.key + q.data.about}
          <AnswerField
            {question}
            given={answer}
            onanswer={(value) => (picked = { key: question.key + q.data.about, value })}
          />
        {/key}
        <Button
          kind="main"
          disabled={attempt.busy !== '' || !answer}
          onclick={() =>
            teach({
              answers: { [question.key]: answer },
              about: question.key === 'kind' ? q.data.about : undefined
            })}>{attempt.busy === 'teach' ? 'Learning…' : 'That is it'}</Button
        >
      {:else}
        <p>Nothing is asked. What comes next is a download: drop it here, and it is laid out for {server}.</p>
      {/if}
      {#if attempt.error}<Trouble error={attempt.error} />{/if}
      {#if crates.length}
        <section class="box px-4 py-3" aria-label="What was made of downloads">
          <h2>Made of your downloads</h2>
          {#each crates as c (c.digest)}
            <p>
              <a class="mono" href={p('/crates/:digest', { params: { digest: c.digest } })}>{c.label}</a>
              <span class="reason">{c.why}</span>
            </p>
          {/each}
        </section>
      {/if}
      <Dropzone
        onpick={stage}
        main={!question}
        about="What is asked of a download is asked here. It is kept unchanged; nothing is sent to the server."
      >
        <span class="reason">{attempt.busy === 'stage' ? 'Reading it…' : `Downloads for ${server}`}</span>
      </Dropzone>
    </div>
    <section class="box px-4 py-3" aria-label="What is known">
      <h2>What is known of {server}</h2>
      {#each q.data.beliefs as b (b.what)}
        <p class="border-b border-dashed border-rule py-1.5 last:border-0">
          <span class="label mr-1">{b.said ? 'known' : 'it seems'}</span>
          {b.what}
          <span class="reason block">{b.why}</span>
        </p>
      {:else}
        <p class="text-ink-soft">Nothing on it tells yet what its add-ons are.</p>
      {/each}
      {#if kept.length}
        <p class="warn-ink mt-2">
          The rulebook was edited by hand. {count(kept.length, 'line')} of yours stay, where the answers would have
          others.
        </p>
      {/if}
      <p class="mt-2">
        <a href={p('/rulebooks/:name', { params: { name: q.data.rulebook } })}
          >Rulebook {q.data.rulebook}, revision {q.data.revision}</a
        >
        <span class="reason block"
          >Your answers are this text. It may be edited: what is learnt later is merged into it.</span
        >
      </p>
    </section>
  </div>
{/if}
