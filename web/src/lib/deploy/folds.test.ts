import { describe, expect, it } from 'vitest';
import type { Step } from '../api/client';
import { folded, share } from './folds';

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
    const prepare = [put('a', { motions: 2, done: 1 }), put('b', { motions: 2 })];
    const swap = [put('c', { phase: 'swap', motions: 4 })];
    const all = [...prepare, ...swap];
    expect(share(all, prepare)).toBe(0.25); // as recorded
    expect(share(all, prepare, 0)).toBe(0.25);
    expect(share(all, prepare, 3)).toBe(0.75);
    expect(share(all, prepare, 6)).toBe(1);
    expect(share(all, swap, 3)).toBe(0);
    expect(share(all, swap, 6)).toBe(0.5);
    expect(share(all, [put('d', { motions: 0 })])).toBe(0);
  });
});
