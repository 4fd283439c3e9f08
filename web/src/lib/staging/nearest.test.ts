import { describe, expect, it } from 'vitest';
import type { CrateFile } from '../api/client';
import { belowRoot, nearest } from './nearest';

const file = (place: string, path: string) => ({ place, path }) as CrateFile;

describe('where a file could go', () => {
  it('is the folder in which the other files of the add-on are', () => {
    const crate = {
      name: 'drum-tent',
      files: [file('stalls', 'drum-tent/stall.lf'), file('seals', 'drum.seal')]
    };
    expect(nearest(crate, 'stalls')).toBe('{name}/{path}');
    expect(nearest(crate, 'seals')).toBe('{path}');
    expect(nearest(crate, 'elsewhere')).toBe('{path}');
  });
  it('is asked only of what is below the root', () => {
    expect(belowRoot('.', 'a/b')).toBe('a/b');
    expect(belowRoot('tent-main', 'tent-main/odd.bin')).toBe('odd.bin');
    expect(belowRoot('tent-main', 'tent-mainly/odd.bin')).toBeUndefined();
    expect(belowRoot('x.zip!/tent', 'x.zip!/tent/a')).toBe('a');
  });
});
