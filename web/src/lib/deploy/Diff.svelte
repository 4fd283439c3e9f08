<!-- What changes in a text: lines that go and lines that come, by sign and colour. -->
<script lang="ts">
  let { diff }: { diff: string } = $props();
  // Behind the two file names.
  let lines = $derived(diff.replace(/\n$/, '').split('\n').slice(2));

  const tone = (line: string) =>
    line[0] === '+' ? 'comes' : line[0] === '-' ? 'goes' : line[0] === '@' ? 'place' : '';
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<pre
  class="mono my-1 overflow-x-auto border border-rule"
  data-diff
  tabindex="0"
  role="region"
  aria-label="What changes, line by line">{#each lines as line, i (i)}<span class="line {tone(line)}"
      >{line.replace(/\r$/, '')}
</span>{/each}</pre>

<style>
  .line {
    display: block;
    padding: 0 10px;
    min-width: max-content;
  }
  .comes {
    background: var(--ok-bg);
    color: var(--ok);
  }
  .goes {
    background: var(--block-bg);
    color: var(--block);
  }
  .place {
    color: var(--ink-soft);
  }
</style>
