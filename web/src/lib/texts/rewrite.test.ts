import { describe, expect, it } from 'vitest';
import { changesBefore, rewrites, type NamePlace } from './rewrite';

const place = (path: string, nth: number, more: Partial<NamePlace> = {}): NamePlace => ({
  path,
  nth,
  line: nth,
  text: '',
  owners: [],
  ...more
});

describe('changing a name everywhere', () => {
  it('leaves what a log tells, and what names the things that the server loads', () => {
    expect(changesBefore(place('a', 1), false)).toBe(true);
    expect(changesBefore(place('a', 1, { log: true }), true)).toBe(false);
    expect(changesBefore(place('a', 1, { listed: true }), false)).toBe(false);
    expect(changesBefore(place('a', 1, { listed: true }), true)).toBe(true);
  });

  it('skips the places that stay, and leaves out a text in which all do', () => {
    const places = [place('a', 1), place('a', 2), place('a', 3), place('b', 1), place('c', 1)];
    const tweak = (path: string, count: number) => ({
      path,
      note: 'mill is called quay',
      tweak: { do: 'replace' as const, text: 'mill', value: 'quay', words: true, count }
    });
    const found = { places, binary: [], paths: [], texts: 3, tweaks: [tweak('a', 3), tweak('b', 1)] };
    const made = rewrites(found, (p) => p.path !== 'b' && p.nth !== 2);
    expect(made).toEqual([{ ...tweak('a', 3), tweak: { ...tweak('a', 3).tweak, skip: [2] } }]);
  });
});
