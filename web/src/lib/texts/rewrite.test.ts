import { describe, expect, it } from 'vitest';
import { changesBefore, renamings, rewrites, type NamePlace } from './rewrite';

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

  it('makes one tweak of a text, which counts every place and skips those that stay', () => {
    const all = [place('a', 1), place('b', 1), place('a', 2), place('a', 3), place('c', 1)];
    const made = rewrites(all, (p) => p.path === 'a' && p.nth !== 2, 'mill', 'quay', false);
    expect(made).toEqual([
      {
        path: 'a',
        note: 'mill is called quay',
        tweak: { do: 'replace', text: 'mill', value: 'quay', words: true, count: 3, skip: [2] }
      }
    ]);
  });

  it('renames the outermost first, and speaks of the others as they are called by then', () => {
    const paths = ['x/mill/mill.yaml', 'x/mill', 'x/mill/treadmill.txt', 'pack.zip!/mill'];
    expect(renamings(paths, 'mill', 'quay', false)).toEqual([
      { from: 'x/mill', to: 'x/quay' },
      { from: 'x/quay/mill.yaml', to: 'x/quay/quay.yaml' }
    ]);
    expect(renamings(paths, 'mill', '$&', true)).toContainEqual({
      from: 'x/$&/treadmill.txt',
      to: 'x/$&/tread$&.txt'
    });
  });

  it('takes a name for letters, not for a pattern', () => {
    expect(renamings(['a.b', 'aXb'], 'a.b', 'c', false)).toEqual([{ from: 'a.b', to: 'c' }]);
  });
});
