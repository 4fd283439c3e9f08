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

/** The steps of one leg in one phase, and what is worked out from them once. */
export interface Part {
  leg: number;
  phase: Step['phase'];
  steps: Step[];
  lines: (Step | Fold)[];
  motions: number;
  /** The motions of all steps before. */
  before: number;
}

const phases: Step['phase'][] = ['prepare', 'swap', 'proof'];

/** The parts of a draft, in the order in which they are done. */
export function partsOf(all: Step[]): Part[] {
  const out: Part[] = [];
  let before = 0;
  for (const leg of [...new Set(all.map((s) => s.leg))].toSorted((a, b) => a - b))
    for (const phase of phases) {
      const steps = all.filter((s) => s.leg === leg && s.phase === phase);
      if (!steps.length) continue;
      const motions = steps.reduce((n, s) => n + s.motions, 0);
      out.push({ leg, phase, steps, lines: folded(steps), motions, before });
      before += motions;
    }
  return out;
}

/** Motions of a step that are done. Steps are numbered from 1 in their order. */
export const doneOf = (s: Step, done: number[] | undefined): number => done?.[s.id - 1] ?? s.done;

/**
 * How far a part is, from 0 to 1. The records lag behind a run by some seconds; what its job
 * says is of now. Motions are done in the order of the steps but for a few at a time.
 */
export function share(part: Part, done: number[] | undefined, motions?: number): number {
  if (!part.motions) return 0;
  const recorded = part.steps.reduce((n, s) => n + doneOf(s, done), 0);
  const now = motions === undefined ? 0 : Math.min(part.motions, motions - part.before);
  return Math.max(recorded, now) / part.motions;
}
