import { describe, expect, it } from 'vitest';
import type { Step } from '../api/client';
import { folded, partsOf, share } from './folds';

describe('folds', () => {
  const put = (path: string, more: Partial<Step> = {}): Step => ({
    id: ++last,
    leg: 1,
    phase: 'prepare',
    verb: 'put',
    path,
    reason: 'new',
    motions: 1,
    done: 0,
    ...more
  });
  let last = 0;
  const eight = (folder: string, more: Partial<Step> = {}) =>
    Array.from({ length: 8 }, (_, i) => put(`${folder}${i}`, more));
  const told = (steps: Step[]) =>
    folded(steps).map((l) => ('steps' in l ? `${l.steps.length} in ${l.folder}` : l.path));

  it('are of one verb, one reason and one folder at the top', () => {
    expect(told([...eight('a/b/'), ...eight('a/c/'), ...eight('d/')])).toEqual(['16 in a/', '8 in d/']);
    expect(told([...eight('a/'), ...eight('a/', { reason: 'changed' })])).toEqual(['8 in a/', '8 in a/']);
    expect(told(eight(''))).toEqual(['8 in ']);
    expect(told(eight('a/bc/').concat(put('a/b')))).toEqual(['9 in a/']);
  });

  it('leave few as they are, and whatever has more to say', () => {
    expect(told(eight('a/').slice(1))).toHaveLength(7);
    expect(told(eight('a/', { diff: '-x' }))).toHaveLength(8);
    expect(told(eight('a/', { what: 'as it was' }))).toHaveLength(8);
  });

  it('are part of a phase whose bar goes by what its job says, and never back', () => {
    last = 0;
    const [prepare, swap, proof] = partsOf([
      put('a', { motions: 2 }),
      put('b', { motions: 2 }),
      put('c', { phase: 'swap', motions: 4 }),
      put('d', { phase: 'proof', motions: 0 })
    ]);
    const done = [1, 0, 0, 0];
    expect(share(prepare!, done)).toBe(0.25); // as recorded
    expect(share(prepare!, done, 0)).toBe(0.25);
    expect(share(prepare!, done, 3)).toBe(0.75);
    expect(share(prepare!, done, 6)).toBe(1);
    expect(share(swap!, done, 3)).toBe(0);
    expect(share(swap!, done, 6)).toBe(0.5);
    expect(share(proof!, done, 8)).toBe(0);
  });

  it('are parts of a leg and a phase, in the order in which they are done', () => {
    const steps = [
      put('a', { leg: 2 }),
      put('b', { phase: 'swap' }),
      put('c', { motions: 3 }),
      put('d', { phase: 'swap' })
    ];
    const told = partsOf(steps).map((p) => [p.leg, p.phase, p.steps.map((s) => s.path).join(''), p.before]);
    expect(told).toEqual([
      [1, 'prepare', 'c', 0],
      [1, 'swap', 'bd', 3],
      [2, 'prepare', 'a', 5]
    ]);
  });
});
