// @vitest-environment happy-dom
import { expect, test } from 'vitest';
import type { Status } from '../api/client';
import { find, places, type Place } from './places';

const all: Place[] = [
  { kind: 'server', words: 'saltpan', more: 'tidewright', href: '/1' },
  { kind: 'server', words: 'saltpan: settings texts', more: '', href: '/2' },
  { kind: 'add-on', words: 'tide-lamps 2.2', more: 'on saltpan, loaded', href: '/3' },
  { kind: 'deployment', words: 'saltpan#4', more: 'tide-lamps, draft', href: '/4' }
];

test('every word that was typed has to be there, in whatever order', () => {
  expect(find(all, 'texts salt').map((p) => p.href)).toEqual(['/2']);
  expect(find(all, 'lamps').map((p) => p.href)).toEqual(['/3', '/4']);
});

test('what begins with it comes first, and then the shorter one', () => {
  expect(find(all, 'saltpan').map((p) => p.href)).toEqual(['/1', '/4', '/2', '/3']);
});

test('nothing typed gives what there is, nothing found gives nothing', () => {
  expect(find(all, ' ')).toHaveLength(4);
  expect(find(all, 'nowhere')).toEqual([]);
});

test('actions are found by what they do and to what', () => {
  const on = { server: { name: 'saltpan', rulebook: 'tidewright' }, addons: [] } as unknown as Status;
  const found = find(places([on], [], []), 'deploy saltpan')[0];
  expect(found).toMatchObject({ kind: 'action', href: '/servers/saltpan/add-ons?do=deploy' });
});
