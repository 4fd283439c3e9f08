<!-- The parts by choice of a crate that is to be deployed. What is not touched stays as the server has it. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { without } from '../without';
  import { crate } from '../api/queries';

  interface Props {
    digest: string;
    addon: string;
    parts: Record<string, boolean>;
  }
  let { digest, addon, parts = $bindable() }: Props = $props();
  const q = createQuery(() => crate(digest));
  let optional = $derived([
    ...new Set((q.data?.files ?? []).flatMap((f) => (f.optional ? [f.optional] : [])))
  ]);

  function choose(part: string, value: string) {
    const rest = without(parts, `${addon}:${part}`);
    parts = value === '' ? rest : { ...rest, [`${addon}:${part}`]: value === 'take' };
  }
</script>

{#if optional.length}
  <div class="flex flex-wrap gap-x-4 gap-y-1 pb-1.5 pl-7">
    {#each optional as part (part)}
      {@const now = parts[`${addon}:${part}`]}
      <label class="inline-flex items-center gap-2"
        ><span>{part}</span>
        <select
          class="input min-h-6 w-auto py-0"
          aria-label="{part} of {addon}"
          value={now === undefined ? '' : now ? 'take' : 'leave'}
          onchange={(e) => choose(part, e.currentTarget.value)}
        >
          <option value="">as the server has it</option>
          <option value="take">take it</option>
          <option value="leave">leave it out</option>
        </select>
      </label>
    {/each}
  </div>
{/if}
