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
  /* Its room is there from the start; its sign is drawn only where a person is about to press it. */
  .copy {
    display: inline-block;
    width: 24px;
    height: 24px;
    margin-block: -4px;
    vertical-align: middle;
    color: var(--note);
  }
  .path:hover .copy::before,
  .copy:focus-visible::before {
    content: '';
    display: block;
    width: 12px;
    height: 12px;
    margin: auto;
    background: currentColor;
    mask: url('./copy.svg') center / contain no-repeat;
  }
  .path:hover .copied::before,
  .copied:focus-visible::before {
    mask-image: url('./check.svg');
  }
</style>
