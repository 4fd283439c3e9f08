// The timeline as a picture: a bar for each deployment, the oldest left; up how much it sent, down
// how long the server was away, and an arc from what was taken back to what did that.
import type { Deployment } from '../api/client';

export interface Bar {
  d: Deployment;
  x: number;
  /** How far it reaches up and down, from 0 to 1. */
  up: number;
  down: number;
  /** The first of its day, as it is written below it. */
  day?: string;
}

export interface Arc {
  from: number;
  to: number;
}

const log = (n: number, most: number) => (n <= 0 ? 0 : Math.min(1, Math.log10(1 + n) / Math.log10(1 + most)));

/** The bars of deployments, which come with the newest first. */
export function bars(list: Deployment[], wide: number): Bar[] {
  const old = list.toReversed();
  const most = Math.max(1, ...old.map(sizeOf));
  const longest = Math.max(1, ...old.map((d) => d.figures.awayMs));
  const step = wide / Math.max(12, old.length);
  let before = '';
  return old.map((d, i) => {
    const day = dayOf(d.endedAt ?? d.createdAt);
    const first = day !== before;
    before = day;
    return {
      d,
      x: step * (i + 0.5),
      up: Math.max(0.06, log(sizeOf(d), most)),
      down: log(d.figures.awayMs, longest),
      day: first ? day : undefined
    };
  });
}

/** Those that were taken back and by what, as far as both are seen. */
export function arcs(all: Bar[]): Arc[] {
  const at = new Map(all.map((b) => [b.d.number, b.x]));
  return all.flatMap((b) => {
    const to = b.d.takenBackBy ? at.get(b.d.takenBackBy) : undefined;
    return to === undefined ? [] : [{ from: b.x, to }];
  });
}

/** How large a deployment is: what it sent, or will send. */
export const sizeOf = (d: Deployment): number => d.figures.sent || d.counts.send;

function dayOf(iso: string): string {
  const d = new Date(iso);
  return `${String(d.getMonth() + 1).padStart(2, '0')}-${String(d.getDate()).padStart(2, '0')}`;
}
