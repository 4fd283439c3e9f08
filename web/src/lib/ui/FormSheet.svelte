<!-- A sheet with a form: its fields, its error, its one button. It closes once what was
     sent has been taken. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import { attempting } from '../attempt.svelte';
  import { settled } from './back';
  import Button from './Button.svelte';
  import Sheet from './Sheet.svelte';
  import Trouble from './Trouble.svelte';

  interface Props {
    open: boolean;
    title: string;
    about?: string;
    wide?: boolean;
    /** What the button says, and what it says while the form is sent. */
    words: [string, string];
    disabled?: boolean;
    /** Sends the form. What it gives is done once the sheet is closed. */
    send: () => Promise<void | (() => unknown)>;
    children: Snippet;
    /** Other buttons beside it; they send in their own way. */
    more?: Snippet<[busy: boolean, run: (send: Props['send']) => Promise<void>]>;
  }
  let { open = $bindable(), title, about, wide, words, disabled, send, children, more }: Props = $props();
  const attempt = attempting();

  async function run(send: Props['send']) {
    let then: (() => unknown) | undefined;
    const taken = await attempt.run('send', async () => {
      then = (await send()) ?? undefined;
    });
    if (!taken) return;
    open = false;
    if (then) await settled();
    await then?.();
  }
</script>

<Sheet bind:open {title} {about} {wide}>
  <form
    class="space-y-3.5"
    onsubmit={(e) => {
      e.preventDefault();
      void run(send);
    }}
  >
    {@render children()}
    {#if attempt.error}<Trouble error={attempt.error} />{/if}
    <div class="flex flex-wrap gap-3">
      <Button kind="main" type="submit" disabled={attempt.busy !== '' || disabled}
        >{attempt.busy ? words[1] : words[0]}</Button
      >
      {@render more?.(attempt.busy !== '', run)}
    </div>
  </form>
</Sheet>
