// What pages ask for, with the keys under which answers are kept.
import type { QueryClient } from '@tanstack/svelte-query';
import type { Schema } from '../rulebook/suggest';
import { all, api, ok, problemOf, type Deployment, type NewDraft } from './client';
import { result } from './jobs';

// What the records say is asked again when they change: see changes.ts. Only what is
// found outside of them is looked at now and then.
const often = 4000; // milliseconds
const seldom = 30_000;

export const servers = () => ({
  queryKey: ['servers'],
  queryFn: () => ok(api.GET('/servers')).then((p) => p.items)
});

/** The feeds that are followed, each with what it announces. */
export const feeds = () => ({
  queryKey: ['crates', 'feeds'],
  queryFn: async () => {
    const list = await ok(api.GET('/feeds'));
    return Promise.all(
      list.items.map((f) => ok(api.GET('/feeds/{feed}', { params: { path: { feed: f.name } } })))
    );
  }
});

/** What the players of a server are told. */
export const packlist = (server: string) => ({
  queryKey: ['status', server, 'packlist'],
  queryFn: () => ok(api.GET('/servers/{server}/packlist', { params: { path: { server } } }))
});

/** What is done by itself, each with what came of it. */
export const schedules = () => ({
  queryKey: ['status', '', 'schedules'],
  queryFn: async () => {
    const list = await ok(api.GET('/schedules'));
    return Promise.all(
      list.items.map((s) => ok(api.GET('/schedules/{schedule}', { params: { path: { schedule: s.name } } })))
    );
  }
});

/** Where its results are told. */
export const notices = () => ({
  queryKey: ['status', '', 'notices'],
  queryFn: () => ok(api.GET('/notices')).then((p) => p.items)
});

/** Archives of which no crate is in the list. */
export const loose = () => ({
  queryKey: ['crates', 'loose'],
  queryFn: () => ok(api.GET('/archives/loose')).then((p) => p.items)
});

/** What is on a server beside the newest that is staged and fits. */
export const updates = (server: string) => ({
  queryKey: ['updates', server],
  queryFn: () =>
    ok(api.GET('/servers/{server}/updates', { params: { path: { server } } })).then((p) => p.items)
});

/** How often a server is looked at. */
export const rhythm = (server: string) => ({
  queryKey: ['rhythm', server],
  queryFn: () => ok(api.GET('/servers/{server}/rhythm', { params: { path: { server } } }))
});

/** What differs between how a server stood after one deployment and after another; -1 is now. */
export const comparison = (server: string, from: number, to: number) => ({
  queryKey: ['deployments', server, 'comparison', from, to],
  queryFn: () =>
    ok(api.GET('/servers/{server}/comparison', { params: { path: { server }, query: { from, to } } }))
});

/** What differs between how a server stood after a deployment, -1 being now, and another as it stands. */
export const comparisonWith = (server: string, from: number, other: string) => ({
  queryKey: ['deployments', server, 'beside', other, from],
  queryFn: () => ok(api.GET('/comparison', { params: { query: { a: server, b: other, aAfter: from } } }))
});

/** What is known of a server whose rulebook grows. The server is looked at. */
export const lessons = (server: string) => ({
  queryKey: ['lessons', server],
  queryFn: () => ok(api.GET('/servers/{server}/lessons', { params: { path: { server } } })),
  // What is being answered is not replaced under a person's hands.
  refetchOnWindowFocus: false,
  retry: false
});

/** What is wrong with the texts of a crate. */
export const lintOfCrate = (crate: string) => ({
  queryKey: ['crate', crate, 'lint'],
  queryFn: () => ok(api.GET('/crates/{crate}/lint', { params: { path: { crate } } }))
});

/** Rulebooks to begin with, named for a shape. */
export const starters = () => ({
  queryKey: ['starters'],
  queryFn: () => ok(api.GET('/rulebook-starters')).then((p) => p.items)
});

/** What needs a person, over all servers. */
export const desk = () => ({
  queryKey: ['status', '', 'desk'],
  queryFn: () => ok(api.GET('/desk'))
});

/** How every server stands, in one answer. */
export const statuses = () => ({
  queryKey: ['status'],
  queryFn: () => ok(api.GET('/statuses')).then((p) => p.items)
});

export const status = (server: string) => ({
  queryKey: ['status', server],
  queryFn: () => ok(api.GET('/servers/{server}/status', { params: { path: { server } } }))
});

/** The search for the add-on that does something wrong on a server; null where none goes on. */
export const narrowing = (server: string) => ({
  queryKey: ['status', server, 'narrowing'],
  queryFn: () =>
    ok(api.GET('/servers/{server}/narrowing', { params: { path: { server } } })).catch((e: unknown) => {
      if (problemOf(e).code === 'no-narrowing') return null;
      throw e;
    })
});

/** What is directly in a folder of a server. */
export const folderOf = (server: string, path: string) => ({
  queryKey: ['files', server, path],
  queryFn: () => ok(api.GET('/servers/{server}/folder', { params: { path: { server }, query: { path } } }))
});

/** Paths in which words stand, on one server or on all. */
export const foundFiles = (find: string, server?: string) => ({
  queryKey: ['files', server ?? '', 'found', find],
  queryFn: () => ok(api.GET('/paths', { params: { query: { find, server } } })).then((p) => p.items),
  placeholderData: <T>(before: T | undefined) => before
});

/** What something that happened made of a path; without a number, the last that did. */
export const compared = (server: string, path: string, seq?: number, now = false) => ({
  queryKey: ['history', server, path, seq ?? 0, now],
  queryFn: () =>
    ok(api.GET('/servers/{server}/compared', { params: { path: { server }, query: { path, seq, now } } }))
});

export const texts = (server: string, all: boolean) => ({
  queryKey: ['texts', server, all],
  queryFn: () =>
    ok(api.GET('/servers/{server}/texts', { params: { path: { server }, query: { all } } })).then(
      (p) => p.items
    )
});

export const text = (server: string, path: string, reveal: boolean) => ({
  queryKey: ['text', server, path, reveal],
  queryFn: () =>
    ok(api.GET('/servers/{server}/text', { params: { path: { server }, query: { path, reveal } } })),
  // What is being edited is not replaced under a person's hands.
  refetchOnWindowFocus: false,
  retry: false
});

/** Where else a value stands, in the settings of its server. */
export const elsewhere = (server: string, path: string, at: string) => ({
  queryKey: ['text', server, path, 'elsewhere', at],
  queryFn: () =>
    ok(api.GET('/servers/{server}/text/elsewhere', { params: { path: { server }, query: { path, at } } })),
  refetchOnWindowFocus: false,
  retry: false
});

export const tweaks = (server: string) => ({
  queryKey: ['tweaks', server],
  queryFn: () =>
    ok(api.GET('/servers/{server}/tweaks', { params: { path: { server } } })).then((p) => p.items)
});

export const history = (server: string, path: string) => ({
  queryKey: ['history', server, path],
  queryFn: () =>
    ok(api.GET('/servers/{server}/history', { params: { path: { server }, query: { path } } })).then(
      (p) => p.items
    )
});

/** Gathers so many pages of a list, and whether there are more. */
export async function pagesOf<T>(
  pages: number,
  page: (cursor?: string) => Promise<{ items: T[]; next?: string }>
): Promise<{ list: T[]; more: boolean }> {
  const list: T[] = [];
  let cursor: string | undefined;
  for (let n = 0; n < pages; n++) {
    const got = await page(cursor);
    list.push(...got.items);
    cursor = got.next || undefined;
    if (!cursor) break;
  }
  return { list, more: cursor !== undefined };
}

/** The newest deployments, so many pages of them; of one server only those that touched something. */
export const deployments = (server?: string, pages = 1, touched: { addon?: string; path?: string } = {}) => ({
  queryKey: ['deployments', server ?? '', pages, touched],
  queryFn: () =>
    pagesOf<Deployment>(pages, (cursor) =>
      server
        ? ok(
            api.GET('/servers/{server}/deployments', {
              params: { path: { server }, query: { cursor, ...touched } }
            })
          )
        : ok(api.GET('/deployments', { params: { query: { cursor } } }))
    ),
  placeholderData: <T>(before: T | undefined) => before
});

const underWay = ['queued', 'running', 'undoing'];

/** What was asked for, with the very steps that were there before, and how far each has come beside
 * them: pages work out from the steps what they show, and do so once. Nothing where they do not fit. */
export function withSteps(had: Deployment | undefined, got: Deployment): Deployment | undefined {
  if (!got.stepsDone) return { ...got, stepsDone: got.steps?.map((s) => s.done) };
  if (had?.steps?.length !== got.stepsDone.length) return undefined;
  return { ...got, steps: had.steps };
}

export const deployment = (server: string, number: number) => ({
  queryKey: ['deployment', server, number],
  // The steps of a long one are many: they are fetched once, and then how far each has come.
  queryFn: async ({ client }: { client: QueryClient }) => {
    const get = (known?: string) =>
      ok(
        api.GET('/servers/{server}/deployments/{number}', {
          params: { path: { server, number }, query: { known } }
        })
      );
    const had = client.getQueryData<Deployment>(['deployment', server, number]);
    const got = await get(had?.steps ? had.digest : undefined);
    return withSteps(had, got) ?? withSteps(undefined, await get())!;
  },
  refetchInterval: (q: { state: { data?: Deployment } }) =>
    q.state.data && underWay.includes(q.state.data.state) ? often : false
});

export const standingOf = (server: string) => ({
  queryKey: ['standing', server],
  queryFn: () =>
    ok(api.GET('/servers/{server}/standing', { params: { path: { server }, query: { within: 2 } } })),
  refetchInterval: often,
  retry: false
});

/** Has the probes of a server asked now and then; what they find is told by the desk. */
export const standingNow = (server: string) => ({
  queryKey: ['standing', server, 'now'],
  queryFn: () =>
    ok(api.GET('/servers/{server}/standing', { params: { path: { server }, query: { within: 15 } } })),
  refetchInterval: seldom,
  retry: false
});

export const controlKnown = (server: string) => ({
  queryKey: ['control', server],
  queryFn: () => ok(api.GET('/servers/{server}/control', { params: { path: { server } } }))
});

export const lastRollCall = (server: string) => ({
  queryKey: ['rollcall', server],
  queryFn: () => ok(api.GET('/servers/{server}/roll-calls/last', { params: { path: { server } } })),
  retry: false
});

/** What the last survey of a server found. */
export const lastSurvey = (server: string) => ({
  queryKey: ['survey', server],
  queryFn: () => ok(api.GET('/servers/{server}/surveys/last', { params: { path: { server } } })),
  retry: false
});

export const written = (server: string) => ({
  queryKey: ['written', server],
  queryFn: () =>
    ok(api.GET('/servers/{server}/written', { params: { path: { server } } })).then((p) => p.items)
});

export const crates = (rulebook?: string) => ({
  queryKey: ['crates', rulebook ?? ''],
  queryFn: () => all((cursor) => ok(api.GET('/crates', { params: { query: { rulebook, cursor } } })))
});

export const pallets = (rulebook?: string) => ({
  queryKey: ['crates', 'pallets', rulebook ?? ''],
  queryFn: () => ok(api.GET('/pallets', { params: { query: { rulebook } } })).then((p) => p.items)
});

export const runningJobs = () => ({
  queryKey: ['jobs', 'running'],
  queryFn: () => ok(api.GET('/jobs')).then((p) => p.items),
  refetchInterval: often
});

/** The newest jobs that have ended, so many pages of them. */
export const endedJobs = (find: string, failed: boolean, pages: number) => ({
  queryKey: ['jobs', 'ended', find, failed, pages],
  queryFn: () =>
    pagesOf(pages, (cursor) => ok(api.GET('/ended-jobs', { params: { query: { find, failed, cursor } } }))),
  refetchInterval: often,
  placeholderData: <T>(before: T | undefined) => before
});

/** The browsers that are signed in. */
export const browsers = () => ({
  queryKey: ['access', 'browsers'],
  queryFn: () => ok(api.GET('/sessions')).then((p) => p.items)
});

export const tokens = () => ({
  queryKey: ['access', 'tokens'],
  queryFn: () => ok(api.GET('/tokens')).then((p) => p.items)
});

/** Downloads as the stockroom has them. */
export const keptArchives = () => ({
  queryKey: ['crates', 'kept'],
  queryFn: () => ok(api.GET('/stockroom/archives')).then((p) => p.items)
});

export const groups = () => ({
  queryKey: ['status', '', 'groups'],
  queryFn: async () => {
    const list = await ok(api.GET('/groups'));
    return Promise.all(
      list.items.map((g) => ok(api.GET('/groups/{group}', { params: { path: { group: g.name } } })))
    );
  }
});

export const crate = (digest: string) => ({
  queryKey: ['crate', digest],
  queryFn: () =>
    ok(api.GET('/crates/{crate}', { params: { path: { crate: digest }, query: { brief: true } } }))
});

export const readme = (digest: string) => ({
  queryKey: ['readme', digest],
  queryFn: () =>
    ok(api.GET('/crates/{crate}/readme', { params: { path: { crate: digest } } })).then((p) => p.items)
});

export const rulebooks = () => ({
  queryKey: ['rulebooks'],
  queryFn: () => ok(api.GET('/rulebooks')).then((p) => p.items)
});

export const rulebook = (name: string) => ({
  queryKey: ['rulebook', name],
  queryFn: () => ok(api.GET('/rulebooks/{name}', { params: { path: { name } } }))
});

/** What changed in a rulebook between two revisions. */
export const rulebookTurn = (name: string, from: number, to: number) => ({
  queryKey: ['rulebook', name, 'turn', from, to],
  queryFn: () => ok(api.GET('/rulebooks/{name}/turns', { params: { path: { name }, query: { from, to } } }))
});

/** The schema of rulebooks; it never changes while the service runs. */
export const rulebookSchema = () => ({
  queryKey: ['schema'],
  queryFn: () => ok(api.GET('/rulebook-schema')) as Promise<Schema>,
  staleTime: Infinity
});

/**
 * Drafts a deployment and gives it; the server is looked at, nothing is touched. begun is
 * told the job, by which it can be cancelled.
 */
export async function draft(
  server: string,
  ask: NewDraft,
  begun: (job: string) => void = () => {}
): Promise<Deployment> {
  const job = await ok(
    api.POST('/servers/{server}/deployments', { params: { path: { server } }, body: ask })
  );
  begun(job.id);
  return result<Deployment>(job);
}
