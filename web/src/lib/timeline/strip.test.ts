import { expect, test } from 'vitest';
import type { Deployment } from '../api/client';
import { arcs, bars } from './strip';

const d = (number: number, sent: number, awayMs: number, endedAt: string, takenBackBy?: number) =>
  ({
    number,
    takenBackBy,
    endedAt,
    createdAt: endedAt,
    figures: { sent, awayMs },
    counts: { send: 0 }
  }) as unknown as Deployment;

// The newest first, as they come.
const list = [
  d(3, 10, 0, '2026-11-25T10:00:00'),
  d(2, 1000, 500, '2026-11-24T10:00:00', 3),
  d(1, 0, 100, '2026-11-24T09:00:00')
];

test('the oldest stands left, and the largest and the longest reach furthest', () => {
  const got = bars(list, 120);
  expect(got.map((b) => b.d.number)).toEqual([1, 2, 3]);
  expect(got[1]!.up).toBe(1);
  expect(got[1]!.down).toBe(1);
  expect(got[0]!.down).toBeGreaterThan(0);
  expect(got[2]!.down).toBe(0);
  expect(got[0]!.x).toBeLessThan(got[1]!.x);
});

test('a day is written at its first deployment', () => {
  expect(bars(list, 120).map((b) => b.day)).toEqual(['11-24', undefined, '11-25']);
});

test('an arc leads from what was taken back to what did that, where both are seen', () => {
  const got = bars(list, 120);
  expect(arcs(got)).toEqual([{ from: got[1]!.x, to: got[2]!.x }]);
  expect(arcs(bars(list.slice(1), 120))).toEqual([]);
});
