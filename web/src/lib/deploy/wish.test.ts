import { describe, expect, test } from 'vitest';
import type { Addon, Crate } from '../api/client';
import { neighbours, newer } from './versions';
import { askOf, chosenWords, names, nothing, offers, wishOf } from './wish';

const crate = (name: string, version: string, unfit?: string): Crate =>
  ({
    development: version.includes('beta'),
    name,
    version,
    ref: `${name}@${version}`,
    label: `${name}@${version}`,
    digest: version,
    stagedAt: '2026-01-01',
    fits: unfit ? [{ server: 'saltpan', state: 'outside', why: unfit }] : []
  }) as unknown as Crate;

describe('the sheet offers one version of each add-on', () => {
  const all = [
    crate('lamps', '2.1.0'),
    crate('lamps', '2.10.0'),
    crate('lamps', '3.0', 'for 10'),
    crate('base', '1')
  ];
  const there = [{ name: 'lamps', version: '2.1.0', newer: '2.10.0' }] as Addon[];

  test('the newest that fits, and what is newer than what is there first', () => {
    const got = offers(all, there, 'saltpan');
    expect(got.map((o) => [o.name, o.first.version, o.isNewer])).toEqual([
      ['lamps', '2.10.0', true],
      ['base', '1', false]
    ]);
    expect(got[0]!.crates.map((c) => c.version)).toEqual(['3.0', '2.10.0', '2.1.0']);
  });

  test('what the service does not call newer is not proposed, and an early build only where it is alone', () => {
    const held = [{ name: 'lamps', version: '2.1.0' }] as Addon[];
    expect(offers(all, held, 'saltpan')[1]).toMatchObject({ first: { version: '2.1.0' }, isNewer: false });
    const early = [crate('x', '1.0'), crate('x', '1.1-beta.2'), crate('y', '0.8-beta.2')];
    expect(offers(early, [], 'saltpan').map((o) => o.first.version)).toEqual(['1.0', '0.8-beta.2']);
  });

  test('where none fits, the newest with why it does not', () => {
    expect(offers([crate('x', '1', 'for 10')], [], 'saltpan')[0]).toMatchObject({ unfit: 'for 10' });
  });
});

test('a wish becomes an ask and that the wish again', () => {
  const wish = {
    ...nothing(),
    crates: { lamps: 'lamps@2' },
    parts: { 'lamps:maps': true, 'lamps:extras': false },
    values: { group: 'east' },
    undo: 'each' as const,
    data: 'none' as const,
    needs: true,
    restart: true
  };
  const ask = askOf(wish);
  expect(ask).toEqual({
    crates: ['lamps@2'],
    with: ['lamps:maps', 'group=east'],
    without: ['lamps:extras'],
    orUndoEach: true,
    noData: true,
    restart: true,
    takeNeeds: true
  });
  expect(wishOf(ask, 4)).toEqual({ ...wish, instead: 4 });
  expect(chosenWords(ask)).toContain('what does not load goes back alone');
});

test('versions stand in their order', () => {
  const sorted = ['1.10', '1.9', '1.10-beta.2', '2', '1.10.1'].toSorted(newer);
  expect(sorted).toEqual(['1.9', '1.10-beta.2', '1.10', '1.10.1', '2']);
});

test('a crate is compared with its neighbour first', () => {
  const all = ['3', '1', '2.5', '4', '2'].map((version) => ({ version }));
  const beside = neighbours(
    '2.5',
    all.filter((v) => v.version !== '2.5')
  );
  expect(beside.map((v) => v.version)).toEqual(['2', '1', '3', '4']);
});

test('a crate is known by whatever names it', () => {
  const c = { ref: 'x@1~abc', label: 'x@1', digest: 'abcdef' };
  for (const ref of ['x@1', 'x@1~abc', 'x@1~abcdef', 'abcdef']) expect(names(ref, c)).toBe(true);
  for (const ref of [undefined, 'x@2', 'x@1~b', 'y@1~abc']) expect(names(ref, c)).toBe(false);
});
