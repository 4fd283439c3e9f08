<!-- All of our words on one sheet. -->
<script lang="ts">
  import Sheet from '../ui/Sheet.svelte';
  import { glossary } from './glossary';

  let { open = $bindable() }: { open: boolean } = $props();
</script>

<Sheet bind:open title="Words" about="What this program means by the few words that it has of its own.">
  <dl class="grid gap-x-4 gap-y-3 sm:grid-cols-[110px_1fr]">
    {#each Object.values(glossary) as t (t.word)}
      <dt class="font-label text-[17px] font-bold">{t.word}</dt>
      <dd>{t.means}</dd>
    {/each}
  </dl>
</Sheet>
