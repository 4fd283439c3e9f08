import { expect, test } from 'vitest';
import type { Feed, Release } from '../api/client';
import { news } from './feeds';

const release = (version: string, more: Partial<Release>): Release => ({
  addon: 'tide-lamps',
  version,
  url: 'https://reedbank.example/x',
  size: 10,
  sha256: 'ab',
  ...more
});
const on = (installed: string, newer: boolean, state: 'fits' | 'outside', why = '') => ({
  server: 'saltpan',
  installed,
  newer,
  fit: { state, why }
});

test('only what is newer than on a server and not staged is news', () => {
  const feed = {
    name: 'reedbank',
    releases: [
      release('2.3.0', { on: [on('2.1.0', true, 'fits')] }),
      release('2.4.0', { on: [on('2.1.0', true, 'outside', 'it is for game 9')] }),
      release('2.2.0', { on: [on('2.1.0', true, 'fits')], staged: true }),
      release('2.0.0', { on: [on('2.1.0', false, 'fits')] }),
      release('9.0.0', {})
    ]
  } as Feed;
  expect(news([feed]).map((n) => [n.release.version, n.on])).toEqual([
    ['2.3.0', 'saltpan has 2.1.0, and it fits'],
    ['2.4.0', 'saltpan has 2.1.0, and it does not fit: it is for game 9']
  ]);
  expect(news([{ name: 'unread' } as Feed])).toEqual([]);
});
