<!-- Noting what looks wrong in an add-on and is harmless, and forgetting it. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, ok } from '../api/client';
  import { attempting } from '../attempt.svelte';
  import Button from '../ui/Button.svelte';
  import Labelled from '../ui/Labelled.svelte';
  import Sheet from '../ui/Sheet.svelte';
  import Trouble from '../ui/Trouble.svelte';

  interface Props {
    open: boolean;
    server: string;
    addon: string;
    known: string[];
  }
  let { open = $bindable(), server, addon, known }: Props = $props();
  const client = useQueryClient();
  const attempt = attempting();
  let text = $state('');

  const send = (words: string, forget: boolean) =>
    attempt.run(forget ? words : 'send', async () => {
      await ok(
        api.POST('/servers/{server}/addons/{addon}/oddities', {
          params: { path: { server, addon } },
          body: { text: words, forget }
        })
      );
      await client.invalidateQueries({ queryKey: ['status'] });
      await client.invalidateQueries({ queryKey: ['rollcall'] });
      if (!forget) {
        text = '';
        open = false;
      }
    });
</script>

<Sheet
  bind:open
  title="What is harmless in {addon}"
  about="What looks wrong in {addon} and is not. It is shown beside the roll call on every server of this rulebook, so that nobody goes looking for it again."
>
  {#each known as words (words)}
    <div class="row flex items-center gap-3 py-1" data-known>
      <span class="min-w-0 flex-1 [overflow-wrap:anywhere]">{words}</span>
      <Button kind="quiet" disabled={!!attempt.busy} onclick={() => send(words, true)}>Forget</Button>
    </div>
  {/each}
  <form
    class="mt-3 space-y-3"
    onsubmit={(e) => {
      e.preventDefault();
      void send(text.trim(), false);
    }}
  >
    <Labelled label="What is odd" help="For instance: warns of a missing wick at every start">
      <input class="input" required maxlength="500" bind:value={text} />
    </Labelled>
    {#if attempt.error}<Trouble error={attempt.error} />{/if}
    <Button kind="main" type="submit" disabled={!!attempt.busy || !text.trim()}
      >{attempt.busy === 'send' ? 'Noting…' : 'Note it'}</Button
    >
  </form>
</Sheet>
