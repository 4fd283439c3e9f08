<!-- Every file that was deployed, with where it is from. A row opens to its history. -->
<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { route } from '../../router';
  import { files } from '../api/queries';
  import { count, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Filter from '../ui/Filter.svelte';
  import PathText from '../ui/PathText.svelte';
  import Trouble from '../ui/Trouble.svelte';
  import FileHistory from './FileHistory.svelte';

  let { server }: { server: string } = $props();

  const q = createQuery(() => files(server));
  const some = 300; // rows drawn at once
  let find = $state(String(route.search.find ?? ''));
  let limit = $state(some);
  let opened = $state('');
  let wanted = $derived(find.trim().toLowerCase());
  let found = $derived(
    (q.data ?? []).filter(
      (f) => !wanted || f.path.toLowerCase().includes(wanted) || f.crates.some((c) => c.includes(wanted))
    )
  );
</script>

{#if q.error}<Trouble error={q.error} />{/if}
{#if q.data}
  <div class="mb-2.5 flex flex-wrap items-center gap-3">
    <Filter bind:find label="Find a path or an add-on" />
    <span class="text-ink-soft"
      >{wanted ? `${count(found.length, 'file')} of ${q.data.length}` : count(found.length, 'file')}</span
    >
  </div>
  <div class="overflow-x-auto">
    <table class="table">
      <thead>
        <tr>
          <th class="label">Path</th>
          <th class="label max-sm:hidden">From</th>
          <th class="label max-sm:hidden">Deployed</th>
          <th class="label text-right">Size</th>
          <th><span class="sr-only">History</span></th>
        </tr>
      </thead>
      <tbody>
        {#each found.slice(0, limit) as f (f.path)}
          <tr data-row data-file={f.path}>
            <td><PathText path={f.path} /></td>
            <td class="max-sm:hidden"
              ><b>{f.crates.join(', ')}</b> <span class="reason">{f.archives.join(', ')}</span></td
            >
            <td class="mono max-sm:hidden">{f.deployment}</td>
            <td class="text-right whitespace-nowrap">{size(f.size)}</td>
            <td class="text-right">
              <button
                type="button"
                class="button quiet"
                data-open
                aria-expanded={opened === f.path}
                aria-label="History of {f.path}"
                onclick={() => (opened = opened === f.path ? '' : f.path)}>History</button
              >
            </td>
          </tr>
          {#if opened === f.path}
            <tr><td colspan="5" class="bg-paper"><FileHistory {server} path={f.path} /></td></tr>
          {/if}
        {:else}
          <tr
            ><td colspan="5" class="text-ink-soft"
              >{wanted
                ? `Nothing here has “${find}” in its path or its add-on.`
                : 'Nothing was deployed here yet.'}</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  </div>
  {#if found.length > limit}
    <div class="mt-3">
      <Button onclick={() => (limit += some)}>Show more: {found.length - limit} are left</Button>
    </div>
  {/if}
{/if}
