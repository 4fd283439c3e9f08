<!-- A stamp: the word that tells a thing's standing, framed in its colour. -->
<script lang="ts">
  import type { Tone } from './tone';

  let { word, tone = 'note', small = false }: { word: string; tone?: Tone; small?: boolean } = $props();
</script>

<span
  class="inline-block border-2 font-label font-bold tracking-[0.08em] whitespace-nowrap uppercase {tone}-ink"
  class:px-3={!small}
  class:py-1={!small}
  class:text-[18px]={!small}
  class:px-2={small}
  class:text-[13px]={small}>{word}</span
>
