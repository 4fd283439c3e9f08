<!-- A server's square: filled, half or empty, always beside a word. -->
<script lang="ts">
  import type { Standing } from '../standing';

  let { standing }: { standing: Standing } = $props();
</script>

<span
  class="square inline-block h-2.5 w-2.5 shrink-0 border {standing.tone}-ink {standing.shape}"
  title={standing.word}
  aria-hidden="true"
></span>

<style>
  .square {
    background: none;
  }
  .square.filled {
    background: currentColor;
  }
  .square.half {
    background: linear-gradient(135deg, currentColor 50%, transparent 50%);
  }
</style>
