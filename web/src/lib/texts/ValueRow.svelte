<!-- One value of a text, asked for by its type: a switch, a choice, a number with its bounds,
     a colour, words. -->
<script lang="ts">
  import type { TextValue } from '../api/client';
  import Button from '../ui/Button.svelte';
  import Tick from '../ui/Tick.svelte';
  import { askingOf, flipped, isOn, named, troubleWith } from './values';

  interface Props {
    value: TextValue;
    typed: string | undefined; // what was typed instead of it
    fixed: boolean;
    onchange: (to: string | undefined) => void;
    more: boolean; // what else there is to know of it is shown below
    onshow: () => void;
    ontry: () => void;
    onmore: () => void;
  }
  let { value: v, typed, fixed, more, onchange, onshow, ontry, onmore }: Props = $props();

  let asked = $derived(askingOf(v));
  let now = $derived(typed ?? v.value ?? '');
  let label = $derived(named(v.path));
  let trouble = $derived(typed === undefined ? '' : troubleWith(asked, typed));

  function set(to: string) {
    onchange(to === (v.value ?? '') ? undefined : to);
  }
</script>

<div
  class="row grid grid-cols-[minmax(0,1fr)_minmax(0,180px)] items-start gap-x-3 px-3 py-2"
  class:changed={typed !== undefined}
  data-value={v.path}
>
  <div class="min-w-0">
    <button
      type="button"
      class="text-left font-semibold [overflow-wrap:anywhere]"
      title={v.path}
      onclick={onshow}>{label.name}</button
    >
    {#if label.above}<span class="reason">in {label.above}</span>{/if}
    <button
      type="button"
      class="link reason"
      aria-expanded={more}
      aria-label="{more ? 'Less' : 'More'} about {v.path}"
      onclick={onmore}>{more ? 'less' : 'more'}</button
    >
    {#if v.comment}<div class="reason line-clamp-3 [overflow-wrap:anywhere]">{v.comment}</div>{/if}
    {#if v.doubled && !v.counts}<div class="reason">
        It stands here {v.doubled} times; most readers take another one.
      </div>{/if}
  </div>
  <div class="min-w-0">
    {#if asked.how === 'switch'}
      <Tick
        checked={isOn(now)}
        label={v.path}
        onchange={(on) => set(on === isOn(v.value ?? '') ? (v.value ?? '') : flipped(v.value ?? ''))}
        ><span class="mono">{now}</span></Tick
      >
    {:else if asked.how === 'choice'}
      <select
        class="input"
        aria-label={v.path}
        disabled={fixed}
        value={now}
        onchange={(e) => set(e.currentTarget.value)}
      >
        {#each asked.choices as c (c)}<option value={c}>{c}</option>{/each}
      </select>
    {:else}
      <div class="flex items-center gap-2">
        {#if asked.how === 'colour'}<span
            class="h-[22px] w-[22px] shrink-0 border border-ink"
            style:background-color={now}
            aria-hidden="true"
          ></span>{/if}
        <input
          class="input mono"
          type={asked.how === 'secret' ? 'password' : 'text'}
          inputmode={asked.how === 'number' ? 'decimal' : undefined}
          aria-label={v.path}
          aria-invalid={trouble !== ''}
          autocomplete="off"
          disabled={fixed}
          placeholder={asked.how === 'secret' ? 'not shown' : ''}
          value={asked.how === 'secret' ? (typed ?? '') : now}
          oninput={(e) =>
            asked.how === 'secret' && e.currentTarget.value === ''
              ? onchange(undefined)
              : set(e.currentTarget.value)}
        />
      </div>
    {/if}
    {#if asked.how === 'number' && typed === undefined && !fixed}<Button
        kind="quiet"
        title="Set it, have it count, and read what the server says"
        onclick={ontry}>Try…</Button
      >{/if}
    {#if trouble}<div class="reason warn-ink" role="status">{trouble}</div>
    {:else if asked.bounds}<div class="reason">{asked.bounds}</div>{/if}
    {#if typed !== undefined && asked.how !== 'secret'}<div class="reason">
        was <span class="mono">{v.value}</span>
      </div>{/if}
  </div>
</div>

<style>
  .changed {
    background: var(--warn-bg);
  }
</style>
