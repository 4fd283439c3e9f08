import { describe, expect, it } from 'vitest';
import type { AddonFound } from '../api/client';
import { remarks, sure } from './adopt';

const found = (more: Partial<AddonFound>) => ({ path: 'stalls/a', from: 'stall.lf', ...more }) as AddonFound;

describe('what lies on a server', () => {
  it('is taken in without a choice where it is there once and the server finds it', () => {
    expect(sure(found({}))).toBe(true);
    expect(sure(found({ beside: ['stalls/b'] }))).toBe(false);
    expect(sure(found({ deep: 'stalls/a/a/stall.lf' }))).toBe(false);
    expect(sure(found({ from: 'its name alone' }))).toBe(false);
  });
  it('is told with what is odd about it', () => {
    expect(remarks(found({}))).toEqual([]);
    expect(remarks(found({ crate: 'a@1~2', missing: [], differs: [] }))).toEqual([
      'As a@1~2, which is staged.'
    ]);
    expect(remarks(found({ crate: 'a@1~2', missing: ['b', 'c'] }))).toEqual([
      'a@1~2 brings what is not there: b, c'
    ]);
    expect(remarks(found({ beside: ['stalls/b'] }))[0]).toContain('lies at stalls/b too');
    expect(remarks(found({ beside: ['a', 'b', 'c', 'd', 'e', 'f'], copies: 220 }))[0]).toContain(
      'lies at a, b, c, d, e and at 214 more paths too'
    );
  });
});
