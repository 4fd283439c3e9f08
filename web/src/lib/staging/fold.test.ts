import { describe, expect, it } from 'vitest';
import { fold, type Way } from './fold';

const way = (source: string, target?: string, reason = 'the body'): Way => ({
  source,
  target,
  reason,
  size: 1
});
const shown = (ways: Way[]) => fold(ways).map((l) => [l.source, l.target, l.ways.length]);

describe('folding', () => {
  it('writes a few files out', () => {
    const ways = [way('a/x', 'x'), way('a/y', 'y'), way('a/z', 'z')];
    expect(shown(ways)).toEqual([
      ['a/x', 'x', 1],
      ['a/y', 'y', 1],
      ['a/z', 'z', 1]
    ]);
  });

  it('makes one line of many that go the same way', () => {
    const ways = ['stall.lf', 'wares/a', 'wares/b', 'wares/deep/c'].map((f) =>
      way(`tent-main/tent/${f}`, `stalls/tent/${f}`)
    );
    expect(shown(ways)).toEqual([['tent-main/tent/**', 'stalls/tent/**', 4]]);
  });

  it('keeps apart what goes elsewhere or for another reason', () => {
    const body = ['a', 'b', 'c', 'd'].map((f) => way(`t/${f}`, `stalls/${f}`));
    const ways = [...body, way('t/key', 'seals/key'), way('t/e', 'stalls/e', 'chosen by you')];
    expect(shown(ways)).toEqual([
      ['t/**', 'stalls/**', 4],
      ['t/key', 'seals/key', 1],
      ['t/e', 'stalls/e', 1]
    ]);
  });

  it('folds what is left out by its reason alone', () => {
    const ways = ['a.png', 'b.png', 'art/c.png', 'art/d.png'].map((f) => way(f, undefined, 'pictures'));
    expect(shown(ways)).toEqual([['**', undefined, 4]]);
  });

  it('does not take half a name for a folder', () => {
    const ways = ['tent-a/x', 'tent-b/x', 'tent-a/y', 'tent-b/y'].map((f) => way(f, f));
    expect(shown(ways)).toEqual([['**', '**', 4]]);
  });
});
