<!-- Signing in: with the one-time link that serve printed, or with a token. -->
<script lang="ts">
  import { api, ok } from '../lib/api/client';
  import { attempting } from '../lib/attempt.svelte';
  import Button from '../lib/ui/Button.svelte';
  import Labelled from '../lib/ui/Labelled.svelte';
  import Lading from '../lib/ui/Lading.svelte';
  import Field from '../lib/ui/Field.svelte';
  import Trouble from '../lib/ui/Trouble.svelte';

  const asked = new URLSearchParams(location.search).get('to') ?? '';
  // Where a person was going; never to another site.
  const to = /^[/](?![/\\])/.test(asked) ? asked : '/';
  const code = new URLSearchParams(location.search).get('code') ?? '';
  let token = $state('');
  const attempt = attempting();
  let entered = $state(false); // the next page is on its way
  let busy = $derived(entered || attempt.busy !== '');

  const enter = (body: { code?: string; token?: string }) =>
    attempt.run('enter', async () => {
      await ok(api.POST('/session', { body }));
      entered = true;
      location.replace(to);
    });

  /** A link that is spent is no error for who is signed in already. */
  async function byLink() {
    if (await enter({ code })) return;
    const signedIn = await api.GET('/session').then(
      (a) => a.response.ok,
      () => false
    );
    if (signedIn) location.replace(to);
  }

  if (code) void byLink();
</script>

<svelte:head><title>Sign in · Restless Crate</title></svelte:head>
<main class="mx-auto max-w-xl px-3 py-[12vh]">
  <h1 class="sr-only">Sign in</h1>
  <Lading tape="Restless Crate">
    {#snippet fields()}
      <Field label="Sign in"
        >{busy ? 'one moment' : 'with a token, or with the link that serve printed'}</Field
      >
    {/snippet}
    <form
      class="space-y-3 p-4"
      onsubmit={(e) => {
        e.preventDefault();
        void enter({ token: token.trim() });
      }}
    >
      <Labelled
        label="Token"
        help="It lies in client.json in the service's data folder, readable by its owner only."
      >
        <input class="input mono" type="password" autocomplete="off" bind:value={token} />
      </Labelled>
      <Button kind="main" type="submit" disabled={busy || !token.trim()}>Sign in</Button>
    </form>
  </Lading>
  {#if attempt.error}
    <Trouble error={attempt.error} />
    <p class="reason">
      On the service's machine, <code class="mono">restless sign-in</code> prints another link.
    </p>
  {/if}
</main>
