<!-- A path or another value that is copied whole with one click. There are thousands on a page: its sign
     is drawn by the style, so that it costs one element. -->
<script lang="ts">
  let { path, struck = false }: { path: string; struck?: boolean } = $props();
  let copied = $state(false);

  async function copy() {
    await navigator.clipboard.writeText(path);
    copied = true;
    setTimeout(() => (copied = false), 1200);
  }
</script>

<span class="path mono [overflow-wrap:anywhere]" class:line-through={struck} class:text-ink-soft={struck}
  >{path}<button
    type="button"
    class="copy"
    class:copied
    aria-label="Copy {path}"
    title="Copy the path"
    onclick={copy}
  ></button></span
>

<style>
  .copy {
    opacity: 0;
    padding: 0 4px;
    vertical-align: -1px;
    color: var(--note);
  }
  .copy::before {
    content: '';
    display: inline-block;
    width: 12px;
    height: 12px;
    background: currentColor;
    mask: url('./copy.svg') center / contain no-repeat;
  }
  .copied::before {
    mask-image: url('./check.svg');
  }
  .path:hover .copy,
  .copy:focus-visible {
    opacity: 1;
  }
</style>
