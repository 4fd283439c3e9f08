import { describe, expect, it } from 'vitest';
import { between, stepped } from './trying';

const tried = (...values: string[]) => values.map((value) => ({ value, note: '', lines: [] }));

describe('trying one value after the other', () => {
  it('goes by whole steps, or by the last place', () => {
    expect(stepped('30', true)).toBe('31');
    expect(stepped('30', false)).toBe('29');
    expect(stepped('0.35', false)).toBe('0.34');
    expect(stepped('wild', true)).toBe('wild');
  });
  it('finds the middle of the last two', () => {
    expect(between('24', tried('30'))).toBe('27');
    expect(between('24', tried('30', '26'))).toBe('28');
    expect(between('24', tried('0.3', '0.1'))).toBe('0.2');
    expect(between('24', [])).toBeUndefined();
    expect(between('mild', tried('wild'))).toBeUndefined();
  });
});
