<!-- The field that narrows a list; the key / leads to it. -->
<script lang="ts">
  let { find = $bindable(), label }: { find: string; label: string } = $props();
</script>

<input
  class="input max-w-md"
  data-find
  type="search"
  placeholder="{label} ( / )"
  aria-label={label}
  bind:value={find}
/>
