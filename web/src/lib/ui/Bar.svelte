<!-- How far something is. -->
<script lang="ts">
  interface Props {
    /** What it is that goes on. */
    label: string;
    /** From 0 to 1. */
    part: number;
    tone?: 'act' | 'ink';
    thin?: boolean;
  }
  let { label, part, tone = 'act', thin = false }: Props = $props();
  let percent = $derived(Math.max(0, Math.min(100, part * 100)));
</script>

<div
  class="bg-rule-faint {thin ? 'h-1.5' : 'h-2'}"
  role="progressbar"
  aria-label={label}
  aria-valuemin="0"
  aria-valuemax="100"
  aria-valuenow={Math.round(percent)}
>
  <div class="h-full {tone === 'act' ? 'bg-act' : 'bg-ink'}" style:width="{percent}%"></div>
</div>
