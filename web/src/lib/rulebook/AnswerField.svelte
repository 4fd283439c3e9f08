<!-- One question of the interview with its ranked answers and why each is believed. -->
<script lang="ts">
  import { RadioGroup, useId } from 'bits-ui';
  import type { Question } from '../api/client';

  interface Props {
    question: Question;
    given?: string;
    onanswer: (value: string) => void;
  }
  let { question: q, given, onanswer }: Props = $props();
  const id = useId();
  let value = $derived(given ?? q.options[0]?.value ?? '');
  let own = $derived(q.options.some((o) => o.value === value) ? '' : value);
</script>

<fieldset class="box px-4 py-3" data-question={q.key}>
  <h2 class="mb-1" {id}>{q.ask}</h2>
  <RadioGroup.Root {value} onValueChange={onanswer} aria-labelledby={id}>
    {#each q.options as o, i (o.value)}
      <label class="row flex cursor-pointer items-start gap-2.5 py-1.5">
        <RadioGroup.Item
          value={o.value}
          class="mt-0.5 flex h-[18px] w-[18px] shrink-0 items-center justify-center rounded-full border-[1.5px] border-ink bg-sheet"
        >
          {#snippet children({ checked })}
            {#if checked}<span class="h-2 w-2 rounded-full bg-ink"></span>{/if}
          {/snippet}
        </RadioGroup.Item>
        <span>
          <b>{o.says}</b>
          {#if i === 0}<span class="label ml-1">believed</span>{/if}
          <span class="reason block">{o.why}</span>
        </span>
      </label>
    {/each}
  </RadioGroup.Root>
  {#if q.free}
    <input
      class="input mono mt-1.5"
      aria-label="Another answer to: {q.ask}"
      placeholder={q.like ? `another answer, such as ${q.like}` : 'another answer'}
      value={own}
      onchange={(e) => e.currentTarget.value && onanswer(e.currentTarget.value)}
    />
  {/if}
</fieldset>
