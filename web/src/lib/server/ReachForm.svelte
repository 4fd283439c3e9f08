<!-- The fields that say how a server's files are reached. -->
<script lang="ts">
  import Labelled from '../ui/Labelled.svelte';
  import Radios from '../ui/Radios.svelte';
  import { keyFault, limitPattern, portPattern, usualPort, type Reach } from './transport';

  /** fresh is set where nothing is kept yet, so that what it signs in with is needed. */
  let { reach = $bindable(), fresh = false }: { reach: Reach; fresh?: boolean } = $props();

  async function readKey(e: Event & { currentTarget: HTMLInputElement }) {
    const input = e.currentTarget;
    const text = (await input.files?.[0]?.text()) ?? '';
    const wrong = keyFault(text);
    input.setCustomValidity(wrong);
    if (wrong) input.reportValidity();
    reach.key = wrong ? '' : text;
  }
</script>

<Radios
  label="Its files are"
  bind:value={reach.kind}
  options={[
    ['sftp', 'on a host, over SFTP'],
    ['ftps', 'on a host, over FTP with TLS'],
    ['ftp', 'on a host, over plain FTP'],
    ['folder', "in a folder on the service's machine"]
  ]}
/>
{#if reach.kind !== 'folder'}
  <div class="grid grid-cols-[1fr_90px] gap-3">
    <Labelled label="Host"><input class="input" required bind:value={reach.host} /></Labelled>
    <Labelled label="Port"
      ><input
        class="input"
        inputmode="numeric"
        pattern={portPattern}
        title="A number from 1 to 65535"
        placeholder={String(usualPort(reach.kind))}
        bind:value={reach.port}
      /></Labelled
    >
  </div>
  <Labelled label="User"><input class="input" required autocomplete="off" bind:value={reach.user} /></Labelled
  >
  {#if reach.kind === 'ftp'}
    <p class="reason">The password and every file cross the line where others can read them.</p>
  {/if}
  {#if reach.kind === 'sftp'}<Radios
      label="Signs in with"
      bind:value={reach.auth}
      options={[
        ['password', 'a password'],
        ['key', 'a key file'],
        ['agent', "the service's agent"]
      ]}
    />{/if}
  {#if reach.kind !== 'sftp' || reach.auth === 'password'}
    <Labelled label="Password" help="Kept sealed by the service; it is never shown again.">
      <input
        class="input"
        type="password"
        autocomplete="new-password"
        required={fresh}
        bind:value={reach.password}
      />
    </Labelled>
  {:else if reach.auth === 'key'}
    <Labelled label="Key file" help="Its content is sent and kept sealed."
      ><input class="input" type="file" required={fresh} onchange={readKey} /></Labelled
    >
    <Labelled label="Passphrase" help="If the key has one."
      ><input
        class="input"
        type="password"
        autocomplete="new-password"
        bind:value={reach.passphrase}
      /></Labelled
    >
  {/if}
{/if}
{#if reach.kind !== 'folder'}
  <Labelled label="Longest file it takes, in MB" help="If the host has told you of a limit.">
    <input
      class="input"
      inputmode="decimal"
      pattern={limitPattern}
      title="A number of MB, such as 1.5"
      placeholder="any"
      bind:value={reach.limit}
    />
  </Labelled>
{/if}
<Labelled
  label="The server's root folder"
  help={reach.kind !== 'folder'
    ? 'As the host shows it after signing in; empty for the folder one arrives in.'
    : 'A whole path.'}
>
  <input class="input mono" required={reach.kind === 'folder'} bind:value={reach.root} />
</Labelled>
