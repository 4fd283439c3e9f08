<!-- What goes on, for who hears the page: at most once in a few seconds. What is seen stands elsewhere. -->
<script lang="ts">
  import { teller } from './pace';

  let { words }: { words: string } = $props();
  let said = $state('');
  const tell = teller((now) => (said = now));
  $effect(() => tell.take(words));
  $effect(() => tell.end);
</script>

<span class="sr-only" role="status">{said}</span>
