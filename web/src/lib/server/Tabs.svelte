<!-- The tabs of a server. Each is an address of its own. -->
<script lang="ts">
  import { p } from '../../router';
  import { inSight } from '../ui/sideways';

  interface Props {
    server: string;
    at: string;
    figures: Record<string, number | undefined>;
    /** Its rulebook grows from answers. */
    learning?: boolean;
  }
  let { server, at, figures, learning }: Props = $props();
  const always: [string, string][] = [
    ['add-ons', 'Add-ons'],
    ['updates', 'Updates'],
    ['running', 'Running'],
    ['files', 'Files'],
    ['survey', 'Survey'],
    ['texts', 'Texts'],
    ['timeline', 'Timeline'],
    ['compare', 'Compare'],
    ['players', 'Players'],
    ['about', 'About']
  ];
  let tabs: [string, string][] = $derived(learning ? [...always, ['learn', 'Questions']] : always);
</script>

<nav aria-label="Of this server" class="mb-3.5 flex gap-5 overflow-x-auto border-b border-rule">
  {#each tabs as [tab, words] (tab)}
    <a
      class="border-b-2 border-transparent pt-1 pb-1.5 font-label text-[15.5px] font-semibold whitespace-nowrap text-ink-soft hover:text-ink aria-[current]:border-act aria-[current]:text-ink"
      href={p('/servers/:server/:tab', { params: { server, tab } })}
      aria-current={at === tab ? 'page' : undefined}
      {@attach inSight(at === tab)}
    >
      {words}
      {figures[tab] ?? ''}
    </a>
  {/each}
</nav>
