<!-- Where results of schedules are told: a web address, mail, or a feed. -->
<script lang="ts">
  import { api, ok, type Notice } from '../api/client';
  import FormSheet from '../ui/FormSheet.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Radios from '../ui/Radios.svelte';
  import Tick from '../ui/Tick.svelte';

  interface Props {
    open: boolean;
    /** Is given what is shown once: the feed's address, or the secret of a web address. */
    done: (made: Notice) => Promise<unknown>;
  }
  let { open = $bindable(), done }: Props = $props();
  let name = $state('');
  let way = $state<'webhook' | 'mail' | 'feed'>('webhook');
  let webhook = $state('');
  let mailTo = $state('');
  let from = $state('');
  let smtp = $state('');
  let user = $state('');
  let password = $state('');
  let successes = $state(false);

  async function send() {
    const ways = {
      webhook: { webhook: webhook.trim() },
      mail: {
        mailTo: mailTo.trim(),
        from: from.trim(),
        smtp: smtp.trim(),
        user: user.trim() || undefined,
        password: password || undefined
      },
      feed: { feed: true }
    };
    const made = await ok(api.POST('/notices', { body: { name: name.trim(), successes, ...ways[way] } }));
    await done(made);
    name = password = '';
  }
</script>

<FormSheet bind:open title="Have results told" words={['Tell it there', 'Adding…']} {send}>
  <Labelled label="Name" help="Lower-case letters, digits and hyphens.">
    <input class="input mono" required pattern="[a-z0-9][a-z0-9\-]*" maxlength="31" bind:value={name} />
  </Labelled>
  <Radios
    label="Where"
    bind:value={way}
    options={[
      ['webhook', 'a web address'],
      ['mail', 'mail'],
      ['feed', 'a feed that a reader follows']
    ]}
  />
  {#if way === 'webhook'}
    <Labelled label="Address" help="It gets each result as JSON, signed with a secret that is shown once.">
      <input class="input mono" type="url" required bind:value={webhook} />
    </Labelled>
  {:else if way === 'mail'}
    <Labelled label="To"><input class="input mono" type="email" required bind:value={mailTo} /></Labelled>
    <Labelled label="From"><input class="input mono" type="email" required bind:value={from} /></Labelled>
    <Labelled label="Mail server" help="host:port"
      ><input class="input mono" required pattern=".+:[0-9]+" bind:value={smtp} /></Labelled
    >
    <Labelled label="Who signs in there" help="Empty where nobody has to."
      ><input class="input mono" autocomplete="off" bind:value={user} /></Labelled
    >
    {#if user}<Labelled label="Password"
        ><input
          class="input mono"
          type="password"
          autocomplete="new-password"
          required
          bind:value={password}
        /></Labelled
      >{/if}
  {/if}
  <Tick bind:checked={successes}>tell what went well too</Tick>
</FormSheet>
