import { describe, expect, it } from 'vitest';
import { clock, count, duration, size, splitPath } from './format';

describe('figures for people', () => {
  it('writes sizes in decimal units, which a line does not break from their figures', () => {
    expect([0, 999, 1000, 12_345, 6_200_000, 3_000_000_000].map(size)).toEqual([
      '0\u00a0B',
      '999\u00a0B',
      '1.0\u00a0kB',
      '12.3\u00a0kB',
      '6.2\u00a0MB',
      '3.0\u00a0GB'
    ]);
  });
  it('writes durations with units', () => {
    expect([0, 999, 1500].map(duration)).toEqual(['0 ms', '999 ms', '1.5 s']);
  });
  it('counts in words', () => {
    expect([count(1, 'file'), count(0, 'file'), count(2, 'add-on')]).toEqual([
      '1 file',
      '0 files',
      '2 add-ons'
    ]);
  });
  it('writes times to the minute', () => {
    const d = new Date(2026, 2, 9, 8, 5);
    expect(clock(d.toISOString())).toBe('2026-03-09 08:05');
  });
  it('parts a path from its last name', () => {
    expect(splitPath('a/b/c.txt')).toEqual(['a/b/', 'c.txt']);
    expect(splitPath('c.txt')).toEqual(['', 'c.txt']);
  });
});
