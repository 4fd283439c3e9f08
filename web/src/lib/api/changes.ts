// One stream for the whole browser: when the service's records change, what is shown
// is asked for again. A browser opens few connections to one host, so of all its tabs
// one listens and tells the others.
import type { QueryClient } from '@tanstack/svelte-query';
import { base, firstCount } from './client';
import type { components } from './generated/schema';

type Schemas = components['schemas'];

/** What has changed; nothing is said of it where all may have. */
type Change = Schemas['Change'];

// What is asked of one server, with its name behind the key; a list of all has none.
const ofServer = new Set(['deployments', 'deployment', 'rollcall', 'written', 'control']);
// What the files of servers are: only what is done changes them.
const ofLedger = new Set(['files', 'history', 'tweaks', 'texts']);

/** Whether what is kept under a key may be another one now. */
export function concerns(key: readonly unknown[], change: Change | undefined): boolean {
  const of = String(key[0]);
  const about = (...subjects: string[]) =>
    change === undefined || subjects.some((s) => (change.about as string[] | undefined)?.includes(s));
  const server = (name: unknown) =>
    change === undefined ||
    (name === undefined || name === ''
      ? (change.servers ?? []).length > 0
      : change.servers?.includes(name as string));
  if (of === 'servers') return about('rulebooks') || !!server('');
  if (of === 'status' || of === 'updates' || of === 'desk')
    return about('ledger', 'crates', 'oddities', 'rulebooks') || !!server(key[1]);
  if (of === 'rollcall' && about('oddities')) return true;
  if (ofServer.has(of)) return about('rulebooks') || !!server(key[1]);
  if (ofLedger.has(of)) return about('ledger');
  if (of === 'crates' || of === 'crate') return about('crates', 'ledger', 'rulebooks');
  if (of === 'rulebooks' || of === 'rulebook') return about('rulebooks') || !!server('');
  return false;
}

const name = 'restless-changes';
const otherwise = 4000; // milliseconds between looks where tabs cannot agree on one

/** A change, and how far the records had counted with it. */
interface Told {
  change: Change;
  count: string;
}

/** Watches until the function that it gives is called. */
export function watchChanges(client: QueryClient): () => void {
  const again = (change?: Change) =>
    void client.invalidateQueries({ predicate: (q) => concerns(q.queryKey, change) });
  // Tabs agree by locks, which a browser has only where it trusts the address.
  if (!navigator.locks) {
    const timer = setInterval(() => again(), otherwise);
    return () => clearInterval(timer);
  }
  const others = new BroadcastChannel(name);
  // Whoever listens next goes on from here: what changes while nobody does is told then.
  let heard = firstCount;
  const hear = ({ change, count }: Told) => {
    heard = Promise.resolve(count);
    again(change);
  };
  others.onmessage = (m: MessageEvent<Told>) => hear(m.data);
  const start = () =>
    listen(
      () => heard,
      (told) => {
        hear(told);
        others.postMessage(told);
      }
    );
  let stop = start();
  // A page that is kept for the way back keeps no connection meanwhile.
  const hide = () => stop();
  const show = (e: PageTransitionEvent) => {
    if (e.persisted) stop = start();
  };
  addEventListener('pagehide', hide);
  addEventListener('pageshow', show);
  return () => {
    removeEventListener('pagehide', hide);
    removeEventListener('pageshow', show);
    stop();
    others.close();
  };
}

/** Waits until no other tab listens, and listens then to what changed since a count. */
function listen(since: () => Promise<string>, tell: (told: Told) => void): () => void {
  const giveUp = new AbortController();
  const over = new Promise<void>((resolve) => giveUp.signal.addEventListener('abort', () => resolve()));
  navigator.locks
    .request(name, { signal: giveUp.signal }, async () => {
      while (!giveUp.signal.aborted) {
        const count = await Promise.race([since(), over]);
        if (count !== undefined) await stream(count, tell, over);
        await Promise.race([new Promise((resolve) => setTimeout(resolve, otherwise)), over]);
      }
    })
    .catch(() => {}); // it was given up before it was its turn
  return () => giveUp.abort();
}

/** Listens until it is over, or the service refuses. A line that was only cut, the browser itself
 * has again, from the event that came last. */
async function stream(count: string, tell: (told: Told) => void, over: Promise<void>): Promise<void> {
  const source = new EventSource(`${base}/changes?since=${count}`);
  source.addEventListener('changed', (m) =>
    tell({ change: JSON.parse(m.data) as Change, count: m.lastEventId })
  );
  const refused = new Promise<void>((resolve) =>
    source.addEventListener('error', () => source.readyState === EventSource.CLOSED && resolve())
  );
  await Promise.race([refused, over]);
  source.close();
}
