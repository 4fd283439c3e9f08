// The steps of a long draft, folded: what is done to many files for one reason and in one
// folder is one line, which opens. The command line folds in the same way.
import type { Step } from '../api/client';

/** Steps that are told in one line. */
export interface Fold {
  steps: Step[];
  folder: string; // that all of them are in, with a slash behind it; empty for the root
}

/** From how many steps on a line says more than they do. */
export const many = 8;

/** Folds the steps of one phase. A fold stands where its first step stood. */
export function folded(steps: Step[]): (Step | Fold)[] {
  const groups = new Map<string, Step[]>();
  const keyOf = (s: Step) =>
    s.path && !s.what && !s.diff ? [s.verb, s.reason, topOf(s.path)].join('\n') : undefined;
  for (const s of steps) {
    const key = keyOf(s);
    if (key === undefined) continue;
    const group = groups.get(key);
    if (group) group.push(s);
    else groups.set(key, [s]);
  }
  const out: (Step | Fold)[] = [];
  for (const s of steps) {
    const group = groups.get(keyOf(s) ?? '') ?? [];
    if (group.length < many) out.push(s);
    else if (group[0] === s) out.push({ steps: group, folder: common(group.map((g) => g.path ?? '')) });
  }
  return out;
}

/** The first folder of a path; empty for what is at the root. */
function topOf(path: string): string {
  return path.slice(0, path.indexOf('/') + 1);
}

/** The folder that all paths are in. */
function common(paths: string[]): string {
  let folder = paths[0]!.slice(0, paths[0]!.lastIndexOf('/') + 1);
  for (const p of paths) {
    while (!p.startsWith(folder)) folder = folder.slice(0, folder.lastIndexOf('/', folder.length - 2) + 1);
  }
  return folder;
}

/**
 * How far a phase is, from 0 to 1. The records lag behind a run by some seconds; what its job
 * says is of now. Motions are done in the order of the steps but for a few at a time.
 */
export function share(all: Step[], phase: Step[], motions?: number): number {
  const sum = (steps: Step[], of: (s: Step) => number) => steps.reduce((n, s) => n + of(s), 0);
  const here = sum(phase, (s) => s.motions);
  if (!here) return 0;
  const recorded = sum(phase, (s) => s.done);
  if (motions === undefined) return recorded / here;
  const before = sum(
    all.slice(
      0,
      all.findIndex((s) => s === phase[0])
    ),
    (s) => s.motions
  );
  return Math.max(recorded, Math.min(here, motions - before)) / here;
}
