<!-- The question before something is given up that does not come back: it must be answered,
     a click beside it does not close it. -->
<script lang="ts">
  import { AlertDialog } from 'bits-ui';
  import { attempting } from '../attempt.svelte';
  import Trouble from './Trouble.svelte';

  interface Props {
    open: boolean;
    title: string;
    about: string;
    /** What the button says that does it. */
    word: string;
    does: () => Promise<unknown>;
    /** What it does cannot be had back: its button is red. */
    destroys?: boolean;
    /** What the button says that does nothing. */
    otherwise?: string;
  }
  let {
    open = $bindable(),
    title,
    about,
    word,
    does,
    destroys = false,
    otherwise = 'Leave it'
  }: Props = $props();
  const attempt = attempting();

  async function confirm() {
    if (await attempt.run('do', does)) open = false;
  }
</script>

<AlertDialog.Root bind:open>
  <AlertDialog.Portal>
    <AlertDialog.Overlay class="fixed inset-0 z-20 bg-black/45" />
    <AlertDialog.Content
      class="box fixed top-[14vh] left-1/2 z-30 max-h-[80vh] w-[calc(100vw-24px)] max-w-lg -translate-x-1/2 overflow-y-auto bg-paper"
    >
      <AlertDialog.Title class="bg-ink px-4 py-2.5 font-label text-[21px] leading-tight font-bold text-sheet"
        >{title}</AlertDialog.Title
      >
      <div class="p-4">
        <AlertDialog.Description class="mb-4">{about}</AlertDialog.Description>
        {#if attempt.error}<Trouble error={attempt.error} />{/if}
        <div class="flex flex-wrap gap-3">
          <AlertDialog.Action
            class="button {destroys ? 'destroys' : 'main'}"
            disabled={attempt.busy !== ''}
            onclick={confirm}>{word}</AlertDialog.Action
          >
          <AlertDialog.Cancel class="button plain">{otherwise}</AlertDialog.Cancel>
        </div>
      </div>
    </AlertDialog.Content>
  </AlertDialog.Portal>
</AlertDialog.Root>
