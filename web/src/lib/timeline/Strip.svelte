<!-- The timeline as a picture. Everything in it is said in the list below, so it is for eyes only. -->
<script lang="ts">
  import { toDeployment } from '../../router';
  import type { Deployment } from '../api/client';
  import { duration, size } from '../format';
  import { toneOf } from '../standing';
  import { arcs, bars, sizeOf } from './strip';

  let { list }: { list: Deployment[] } = $props();
  const wide = 1000;
  const line = 92; // where the time runs
  let drawn = $derived(bars(list, wide));
</script>

<figure class="box mb-4 overflow-x-auto px-3 pt-2 pb-1" aria-hidden="true" data-strip>
  <svg viewBox="0 0 {wide} 150" class="block h-auto w-full min-w-[620px]">
    {#each arcs(drawn) as a (a.from)}
      <path
        d="M{a.from} {line - 6}C{a.from} {line - 92},{a.to} {line - 92},{a.to} {line - 6}"
        fill="none"
        stroke="var(--ink-soft)"
        stroke-dasharray="4 3"
      />
    {/each}
    <line x1="0" y1={line} x2={wide} y2={line} stroke="var(--ink)" stroke-width="1.5" />
    {#each drawn as b (b.d.number)}
      <a href={toDeployment(b.d)} tabindex="-1">
        <title
          >{b.d.name}: {b.d.title}, {b.d.state}{b.d.takenBackBy ? `, taken back by ${b.d.takenBackBy}` : ''}, {size(
            sizeOf(b.d)
          )}{b.d.figures.awayMs ? `, away ${duration(b.d.figures.awayMs)}` : ''}, {b.d.runner ||
            b.d.actor}</title
        >
        <rect class="hit" x={b.x - 10} y="4" width="20" height="128" />
        <rect
          class="{toneOf(b.d.state)}-ink"
          class:back={b.d.takenBackBy}
          x={b.x - 5}
          y={line - 60 * b.up}
          width="10"
          height={60 * b.up}
          fill={b.d.takenBackBy ? 'var(--sheet)' : 'currentColor'}
          stroke="currentColor"
        />
        {#if b.down > 0}<rect
            x={b.x - 5}
            y={line + 2}
            width="10"
            height={26 * b.down}
            fill="var(--ink)"
          />{/if}
        {#if b.d.remark?.good}<path
            d="M{b.x - 5} {line - 60 * b.up - 8}l4 4 7 -8"
            fill="none"
            stroke="var(--ok)"
            stroke-width="2"
          />{/if}
        <text x={b.x} y="133" class="number">{b.d.number}</text>
      </a>
      {#if b.day}<text x={b.x} y="147" class="day">{b.day}</text>{/if}
    {/each}
  </svg>
  <figcaption class="reason flex flex-wrap gap-x-5">
    <span>up: what was sent</span><span>down: how long the server was away</span><span
      >hollow, with an arc: taken back, and by what</span
    >
  </figcaption>
</figure>

<style>
  .hit {
    fill: transparent;
  }
  a:hover .hit {
    fill: var(--rule-faint);
  }
  .number,
  .day {
    font: 600 11.5px var(--font-label);
    text-anchor: middle;
    fill: var(--ink-soft);
  }
  .number {
    fill: var(--ink);
  }
</style>
