// What was staged and is newer than what servers have.
import type { Crate, Status } from '../api/client';

export interface Arrival {
  server: string;
  has: string;
  crate: Crate;
  /** The download, with where it came from. */
  from: string;
  by: string;
}

/** The newest first. What a person holds, and what does not fit, is told on the server's own page. */
export function arrivals(crates: Crate[], servers: Status[]): Arrival[] {
  return servers
    .flatMap((s) =>
      s.addons.flatMap((on): Arrival[] => {
        const crate = crates.find(
          (c) => c.rulebook === s.server.rulebook && c.name === on.name && c.version === on.newer
        );
        if (!crate || on.hold?.held) return [];
        const a = crate.archives[0];
        const from = a ? a.filename + (a.source ? ` (${a.source})` : '') : 'no download';
        return [{ server: s.server.name, has: on.version, crate, from, by: a?.actor ?? '' }];
      })
    )
    .sort((a, b) => b.crate.stagedAt.localeCompare(a.crate.stagedAt));
}
