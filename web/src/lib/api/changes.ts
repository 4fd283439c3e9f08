// One stream for the whole browser: when the service's records change, what is shown
// is asked for again. A browser opens few connections to one host, so of all its tabs
// one listens and tells the others.
import type { QueryClient } from '@tanstack/svelte-query';
import { base } from './client';

const fromRecords = new Set([
  'servers',
  'status',
  'deployments',
  'deployment',
  'crates',
  'crate',
  'rulebooks',
  'rulebook',
  'rollcall',
  'files',
  'history',
  'written',
  'control'
]);

const name = 'restless-changes';
const otherwise = 4000; // milliseconds between looks where tabs cannot agree on one

/** Watches until the function that it gives is called. */
export function watchChanges(client: QueryClient): () => void {
  const again = () =>
    void client.invalidateQueries({ predicate: (q) => fromRecords.has(String(q.queryKey[0])) });
  // Tabs agree by locks, which a browser has only where it trusts the address.
  if (!navigator.locks) {
    const timer = setInterval(again, otherwise);
    return () => clearInterval(timer);
  }
  const others = new BroadcastChannel(name);
  others.onmessage = again;
  const tell = () => {
    again();
    others.postMessage('changed');
  };
  let stop = listen(tell);
  // A page that is kept for the way back keeps no connection meanwhile.
  const hide = () => stop();
  const show = (e: PageTransitionEvent) => {
    if (!e.persisted) return;
    stop = listen(tell);
    again();
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

/** Waits until no other tab listens, and listens then. */
function listen(tell: () => void): () => void {
  const giveUp = new AbortController();
  let done = () => {};
  navigator.locks
    .request(name, { signal: giveUp.signal }, () => {
      const source = new EventSource(`${base}/changes`);
      let opened = false;
      source.addEventListener('open', () => {
        // What changed while the line was down was not told.
        if (opened) tell();
        opened = true;
      });
      source.addEventListener('changed', tell);
      return new Promise<void>((resolve) => {
        done = () => {
          source.close();
          resolve();
        };
      });
    })
    .catch(() => {}); // it was given up before it was its turn
  return () => {
    giveUp.abort();
    done();
  };
}
