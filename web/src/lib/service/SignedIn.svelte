<!-- Who may come in: browsers that are signed in, tokens of programs, and links for one browser more. -->
<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import { browsers, tokens } from '../api/queries';
  import { attempting } from '../attempt.svelte';
  import { clock } from '../format';
  import Button from '../ui/Button.svelte';
  import Confirm from '../ui/Confirm.svelte';
  import PathText from '../ui/PathText.svelte';
  import Trouble from '../ui/Trouble.svelte';

  const client = useQueryClient();
  const signed = createQuery(browsers);
  const known = createQuery(tokens);
  const act = attempting();
  let link = $state<{ url: string; expiresAt: string }>();
  let made = $state<{ name: string; secret: string }>();
  let name = $state('');
  let ending = $state<{ what: 'browser' | 'token'; id: number; words: string }>();

  const again = () => client.invalidateQueries({ queryKey: ['access'] });
  const makeLink = () => void act.run('link', async () => void (link = await ok(api.POST('/signin-links'))));
  const makeToken = (e: SubmitEvent) => {
    e.preventDefault();
    void act.run('token', async () => {
      made = await ok(api.POST('/tokens', { body: { name: name.trim() } }));
      name = '';
      await again();
    });
  };
  async function end() {
    const { what, id } = ending!;
    const params = { path: { id } };
    await (what === 'browser'
      ? ok(api.DELETE('/sessions/{id}', { params }))
      : ok(api.DELETE('/tokens/{id}', { params })));
    await again();
  }
</script>

<h2 class="mb-2">Who may come in</h2>
{#if act.error}<Trouble error={act.error} />{/if}
{#if signed.data && known.data}
  <div class="box mb-5">
    {#each signed.data ?? [] as s (s.id)}
      <div class="row flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5" data-browser={s.id}>
        <span class="label w-20">browser</span>
        <b>{s.actor}</b>
        <span class="reason min-w-0 flex-1 basis-48"
          >signed in {clock(s.signedInAt)}, until {clock(s.expiresAt)}</span
        >
        <Button
          label="Sign out {s.actor}, browser {s.id}"
          onclick={() => (ending = { what: 'browser', id: s.id, words: `Sign ${s.actor} out?` })}
          >Sign out…</Button
        >
      </div>
    {/each}
    {#each known.data ?? [] as t (t.id)}
      <div class="row flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5" data-token={t.name}>
        <span class="label w-20">token</span>
        <b>{t.name}</b>
        <span class="reason min-w-0 flex-1 basis-48"
          >made {clock(t.madeAt)}, {t.usedAt ? `used ${clock(t.usedAt)}` : 'not used yet'}</span
        >
        <Button
          label="End the token {t.name}…"
          onclick={() => (ending = { what: 'token', id: t.id, words: `End the token ${t.name}?` })}
          >End…</Button
        >
      </div>
    {/each}
    <div class="flex flex-wrap items-end gap-3 border-t-[1.5px] border-ink px-4 py-2.5">
      <Button disabled={!!act.busy} onclick={makeLink}>Make a link for one more browser</Button>
      <form class="flex flex-wrap items-end gap-2" onsubmit={makeToken}>
        <input
          class="input w-44"
          required
          aria-label="Whose token, or what for"
          placeholder="whose token, or what for"
          bind:value={name}
        />
        <Button type="submit" disabled={!!act.busy}>Make a token</Button>
      </form>
    </div>
    {#if link}<p class="border-t border-rule px-4 py-2.5" role="status">
        It signs one browser in, once, until {clock(link.expiresAt)}: <PathText path={link.url} />
      </p>{/if}
    {#if made}<p class="border-t border-rule px-4 py-2.5" role="status">
        The token of {made.name}, which is not shown again: <PathText path={made.secret} />
      </p>{/if}
  </div>
{/if}
<Confirm
  bind:open={() => ending !== undefined, (v) => (ending = v ? ending : undefined)}
  title={ending?.words ?? ''}
  about="Whoever uses it has to sign in again. What they have begun goes on."
  word={ending?.what === 'token' ? 'End it' : 'Sign it out'}
  destroys
  does={end}
/>
