<!-- Small line drawings for pages that are empty: what would be here. -->
<script module lang="ts">
  export type Subject = 'server' | 'crate' | 'label' | 'clock' | 'book' | 'tree' | 'people';
</script>

<script lang="ts">
  let { of }: { of: Subject } = $props();
</script>

<svg
  viewBox="0 0 120 84"
  width="120"
  height="84"
  fill="none"
  stroke="currentColor"
  stroke-width="1.5"
  class="shrink-0 text-ink-soft"
  aria-hidden="true"
>
  {#if of === 'server'}
    <path d="M14 14h60v20H14zM14 38h60v20H14zM14 62h60v12H14z" />
    <path d="M22 24h4M22 48h4M34 24h30M34 48h18" />
    <path d="M84 48h24M98 38l10 10-10 10" class="stroke-act" />
  {:else if of === 'crate'}
    <path d="M16 30h72v44H16zM16 30l10-14h52l10 14M52 16v58M16 45h72M16 60h72" />
    <path d="M98 22v32M88 44l10 10 10-10" class="stroke-act" />
  {:else if of === 'label'}
    <path d="M12 18h96v50H12z" />
    <path d="M12 18h30v16H12z" class="fill-ink-soft" />
    <path d="M50 26h20M78 26h20M22 46h50M22 56h36" />
    <path d="M80 44h20v14H80z" class="stroke-act" />
  {:else if of === 'clock'}
    <circle cx="52" cy="44" r="30" />
    <path d="M52 24v20l14 10M52 14v4M52 70v4M22 44h4M78 44h4" />
    <path d="M92 20h18M92 30h12" class="stroke-act" />
  {:else if of === 'book'}
    <path d="M14 16h40a6 6 0 0 1 6 6v50a6 6 0 0 0-6-6H14zM106 16H66a6 6 0 0 0-6 6v50a6 6 0 0 1 6-6h40z" />
    <path d="M24 28h22M24 38h22M24 48h14" />
    <path d="M72 30l8 8 16-16" class="stroke-act" />
  {:else if of === 'tree'}
    <path d="M16 12h24v12H16zM40 36h30v12H40zM40 60h30v12H40zM24 24v42h16M24 42h16" />
    <path d="M84 42h24M84 66h14" class="stroke-act" />
  {:else}
    <circle cx="34" cy="28" r="10" /><circle cx="74" cy="28" r="10" />
    <path
      d="M16 66v-8a12 12 0 0 1 12-12h12a12 12 0 0 1 12 12v8M56 66v-8a12 12 0 0 1 12-12h12a12 12 0 0 1 12 12v8"
    />
    <path d="M98 20h14M98 30h10" class="stroke-act" />
  {/if}
</svg>
