import { expect, test } from 'vitest';
import type { Crate, Place } from '../api/client';
import { mapRows } from './maprows';

const places = [{ name: 'stalls', path: 'stalls', about: 'where stalls stand' }] as Place[];
const files = Array.from({ length: 5000 }, (_, i) => ({
  source: `pack/a${i}.lf`,
  place: 'stalls',
  path: `drum/a${i}.lf`,
  size: 1,
  reason: 'in the folder of the marker'
}));
const crate = {
  files: [
    ...files,
    { source: 'pack/stall.lf', place: 'stalls', path: 'drum/stall.lf', size: 2, reason: 'the marker' }
  ],
  left: [{ source: 'pack/readme.txt', size: 1, reason: 'no rule', settled: false }]
} as unknown as Crate;

test('five thousand files that go one way are one row, which opens', () => {
  const rows = mapRows(crate, places, new Set());
  expect(rows.map((r) => r.kind)).toEqual(['bar', 'line', 'bar', 'line', 'line']);
  const folded = rows[3]!;
  expect(mapRows(crate, places, new Set([folded.key]))).toHaveLength(5 + 5000);
});

test('what is found is written out, and groups in which nothing is found are not there', () => {
  const rows = mapRows(crate, places, new Set(), 'a4999 drum');
  expect(rows.map((r) => r.kind)).toEqual(['bar', 'line']);
  expect(rows[1]).toMatchObject({ line: { source: 'pack/a4999.lf', target: 'stalls/drum/a4999.lf' } });
  expect(mapRows(crate, places, new Set(), 'nowhere')).toEqual([]);
});

test('every row has a key of its own', () => {
  const rows = mapRows(crate, places, new Set(mapRows(crate, places, new Set()).map((r) => r.key)));
  expect(new Set(rows.map((r) => r.key)).size).toBe(rows.length);
});
