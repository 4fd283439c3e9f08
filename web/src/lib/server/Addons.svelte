<!-- The add-ons on a server, and for each the one sentence that there is to know. -->
<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { p, toDeployment, toServer } from '../../router';
  import { api, ok, type Addon, type NewDraft, type Status } from '../api/client';
  import { attempting } from '../attempt.svelte';
  import DraftingNote from '../deploy/DraftingNote.svelte';
  import { Drafting } from '../deploy/drafting.svelte';
  import { count, size } from '../format';
  import Button from '../ui/Button.svelte';
  import Empty from '../ui/Empty.svelte';
  import Word from '../help/Word.svelte';
  import RowActions, { type RowAction } from '../ui/RowActions.svelte';
  import Rung from '../ui/Rung.svelte';
  import Trouble from '../ui/Trouble.svelte';

  let { status }: { status: Status } = $props();
  const client = useQueryClient();
  const drafting = new Drafting();
  let server = $derived(status.server.name);

  // What needs a person's eye comes first.
  const bad = (a: Addon) => ['outside', 'other-loader', 'players-only'].includes(a.fit.state);
  const worth = (a: Addon) => (a.trouble || bad(a) ? 0 : a.others.length ? 1 : a.newer ? 2 : 3);
  let rows = $derived(status.addons.toSorted((a, b) => worth(a) - worth(b) || a.name.localeCompare(b.name)));

  const confirming = attempting();
  const confirm = (a: Addon) =>
    confirming.run('confirm', async () => {
      await ok(
        api.PUT('/servers/{server}/addons/{addon}/confirmation', {
          params: { path: { server, addon: a.name } },
          body: {}
        })
      );
      await client.invalidateQueries({ queryKey: ['status', server] });
    });

  const numberOf = (deployment: string) => Number(deployment.split('#').at(-1));

  /** What can be done with an add-on, the likeliest first. */
  function actionsOf(a: Addon): RowAction[] {
    const draft = (words: string, ask: NewDraft, title?: string): RowAction => ({
      words,
      title,
      disabled: drafting.busy,
      does: () => void drafting.start(server, ask)
    });
    return [
      ...(a.newer ? [draft(`Update to ${a.newer}`, { crates: [`${a.name}@${a.newer}`] })] : []),
      draft('Back one', { rollback: { addon: a.name } }, `As it was before ${a.deployment}`),
      ...(a.disabled
        ? [draft('Enable', { enable: [a.name] })]
        : a.listed
          ? [draft('Disable', { disable: [a.name] }, 'Its files stay; the server does not load it')]
          : []),
      ...(a.rung === 'loaded'
        ? [{ words: 'Seen to work', title: 'I saw it work in the game', does: () => void confirm(a) }]
        : []),
      draft('Remove', { remove: [a.name] })
    ];
  }
</script>

{#if status.drafts.length}
  <p class="mb-3 text-ink-soft">
    Drafts that wait:
    {#each status.drafts as d (d.number)}
      <a class="link mr-3" href={toDeployment({ server, number: d.number })}>{d.name} {d.title}</a>
    {/each}
  </p>
{/if}
<DraftingNote {drafting} />
{#if confirming.error}<Trouble error={confirming.error} />{/if}

{#if rows.length === 0}
  <Empty title="Nothing was deployed here yet" picture="crate">
    {#if status.server.learning}
      <p>
        What an add-on of this server is, it tells by what lies on it, and you by answering. Drop a download
        beside the questions: it is laid out by what is known by then.
      </p>
      <Button href={toServer(server, 'learn')}>To the questions</Button>
    {:else}
      <p>
        Stage what you downloaded, then choose it here. You will see every file that moves before anything
        does.
      </p>
      <Button href={p('/staging')}>Stage an archive</Button>
    {/if}
  </Empty>
{:else}
  <div class="overflow-x-auto">
    <table class="table">
      <thead>
        <tr>
          <th class="label">Add-on</th>
          <th class="label">Version</th>
          <th class="label max-sm:hidden"><Word is="rung">Rung</Word></th>
          <th class="label max-sm:hidden">What there is to know</th>
          <th class="label max-sm:hidden">Deployed</th>
          <th><span class="sr-only">Actions</span></th>
        </tr>
      </thead>
      <tbody>
        {#each rows as a (a.name)}
          <tr data-row data-addon={a.name}>
            <td>
              <a
                class="font-semibold"
                data-open
                href={p('/servers/:server/:tab', {
                  params: { server, tab: 'files' },
                  search: { find: a.name }
                })}>{a.name}</a
              >
              {#if a.kind}<span class="label ml-1">{a.kind}</span>{/if}
              <div class="reason sm:hidden">
                {a.rung}{#if a.newer}, {a.newer} is staged{/if}, {count(a.files, 'file')}
              </div>
            </td>
            <td class="mono">{a.version}</td>
            <td class="max-sm:hidden"><Rung rung={a.rung} /></td>
            <td class="max-sm:hidden">
              {#if bad(a)}<span class="block-ink">does not fit: {a.fit.why}</span> ·{/if}
              {#if a.trouble}<span class="block-ink">did not load: {a.trouble}</span> ·
              {:else if a.disabled}<span class="warn-ink">disabled</span> ·
              {:else if a.changedSince}<span class="warn-ink">changed since the last start</span> ·
              {:else if a.others.length}<span class="warn-ink"
                  >some of its files are from {a.others.join(', ')}</span
                > ·
              {:else if a.newer}<span class="note-ink">{a.newer} is staged</span> ·
              {/if}
              {count(a.files, 'file')}, {size(a.size)}{#if a.note}<span class="whitespace-pre">
                  · “{a.note}”</span
                >{/if}
              {#if a.newerUnfit}
                <div class="reason">
                  {a.newerUnfit.version} is staged and does not fit: {a.newerUnfit.why}
                </div>
              {/if}
              {#each a.oddities as odd (odd)}
                <div class="reason">known and harmless: {odd}</div>
              {/each}
            </td>
            <td class="mono max-sm:hidden">
              <a class="link" href={toDeployment({ server, number: numberOf(a.deployment) })}
                >{a.deployment}</a
              >
            </td>
            <td class="text-right sm:whitespace-nowrap">
              <RowActions of={a.name} actions={actionsOf(a)} />
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}
