// What feeds announce that servers do not have yet.
import type { Feed, Release } from '../api/client';

export interface News {
  feed: string;
  release: Release;
  /** What servers have of it, in words. */
  on: string;
}

/** What is newer than what a server has, and is not staged; by the feeds' order. */
export function news(feeds: Feed[]): News[] {
  return feeds.flatMap((f) =>
    (f.releases ?? [])
      .filter((r) => !r.staged && r.on?.some((s) => s.newer))
      .map((release) => ({ feed: f.name, release, on: onServers(release) }))
  );
}

function onServers(r: Release): string {
  return (r.on ?? [])
    .filter((s) => s.newer)
    .map((s) => `${s.server} has ${s.installed}${fits(s.fit.state, s.fit.why)}`)
    .join('; ');
}

function fits(state: string, why?: string): string {
  if (state === 'fits') return ', and it fits';
  if (state === 'unknown') return '';
  return `, and it does not fit: ${why ?? state}`;
}
