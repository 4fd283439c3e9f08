import { describe, expect, it } from 'vitest';
import type { Update } from '../api/client';
import { held, sorted, waits } from './updates';

const update = (addon: string, more: Partial<Update> = {}): Update => ({
  addon,
  installed: '1.0',
  fit: { state: 'fits', why: '' },
  ...more
});

describe('updates', () => {
  it('puts what can be done first and what is held late', () => {
    const list = [
      update('same'),
      update('held', { available: '1.1', hold: { held: true, channel: 'stable', note: '', by: 'ann' } }),
      update('waits', { unfit: { version: '2.0', why: 'for 9.4' } }),
      update('b', { available: '1.1' }),
      update('a', { available: '1.2', hold: { held: false, channel: 'development', note: '', by: 'ann' } })
    ];
    expect(sorted(list).map((u) => u.addon)).toEqual(['a', 'b', 'waits', 'held', 'same']);
    expect(held(list[1]!)).toBe(true);
    expect(held(list[0]!)).toBe(false);
  });

  it('says why an add-on waits for a build that fits', () => {
    expect(waits(update('x'))).toBe('');
    expect(waits(update('x', { unfit: { version: '2.0', why: 'for 9.4' } }))).toBe(
      '2.0 is staged and does not fit: for 9.4'
    );
    const outside = { state: 'outside', why: 'it is for 9.2, and the server runs 9.3' } as const;
    expect(waits(update('x', { fit: outside }))).toBe(
      'It waits for a build that fits: it is for 9.2, and the server runs 9.3'
    );
    expect(waits(update('x', { fit: outside, available: '1.1' }))).toBe('');
  });
});
