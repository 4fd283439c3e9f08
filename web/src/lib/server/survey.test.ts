import { describe, expect, it } from 'vitest';
import type { SurveyItem } from '../api/client';
import { about, deeds, ordered, settling, sums } from './survey';

const item = (kind: SurveyItem['kind'], path: string, more: Partial<SurveyItem> = {}) =>
  ({
    kind,
    path,
    was: { being: 'content', size: 4 },
    is: { being: kind === 'missing' ? 'absent' : 'content', size: 4 },
    since: '2026-11-28T11:40:00',
    ...more
  }) as SurveyItem;

describe('what a survey found', () => {
  it('is told in the order in which it matters', () => {
    const all = [
      item('unknown', 'a'),
      item('unknown', 'z', { in: 'lamps@1' }),
      item('missing', 'b'),
      item('changed', 'c')
    ];
    expect(ordered(all).map((i) => i.path)).toEqual(['c', 'b', 'z', 'a']);
  });
  it('can be settled in the ways that fit all that is chosen', () => {
    const text = item('changed', 'a', { diff: '+x' });
    expect(deeds([text])).toEqual(['restore', 'accept', 'tweak']);
    expect(deeds([text, item('missing', 'b')])).toEqual(['restore', 'accept']);
    expect(deeds([item('unknown', 'c')])).toEqual(['remove', 'ignore']);
    expect(deeds([text, item('unknown', 'c')])).toEqual([]);
    expect(deeds([item('unknown', 'l', { is: { being: 'foreign' } as SurveyItem['is'] })])).toEqual([
      'ignore'
    ]);
    expect(deeds([])).toEqual([]);
    expect(settling([text], 'tweak')).toEqual([{ path: 'a', do: 'tweak' }]);
  });
  it('says whose it is and since when', () => {
    expect(about(item('changed', 'a', { owner: 'lamps@1', new: true }))).toBe('lamps@1 · 4\u00a0B · new');
    expect(about(item('unknown', 'd', { files: 3, bytes: 9, in: 'lamps@1' }))).toBe(
      'in the folder of lamps@1 · 3 files, 9\u00a0B · since 2026-11-28 11:40'
    );
  });
  it('is summed up', () => {
    const counts = { same: 13, edited: 1, changed: 2, missing: 1, unknown: 3 };
    expect(sums({ counts } as never)).toBe(
      '2 changed and 1 missing outside, 14 as recorded; 3 files that nobody deployed'
    );
    expect(sums({ counts: { ...counts, changed: 0, missing: 0, unknown: 0 } } as never)).toBe(
      'All 14 files as recorded'
    );
  });
});
