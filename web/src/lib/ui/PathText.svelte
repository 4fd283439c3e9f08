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
    padding: 0 4px;
    vertical-align: -1px;
    color: var(--note);
  }
  .copy::before {
    content: '';
    display: inline-block;
    width: 12px;
    height: 12px;
  }
  .path:hover .copy::before,
  .copy:focus-visible::before {
    background: currentColor;
    mask: url('./copy.svg') center / contain no-repeat;
  }
  .path:hover .copied::before,
  .copied:focus-visible::before {
    mask-image: url('./check.svg');
  }
</style>
