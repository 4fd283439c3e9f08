import { expect, test } from 'vitest';
import type { Stand } from '../api/client';
import { standOf } from './stand';

const now = Date.parse('2026-11-29T12:00:00Z');
const base: Stand = {
  server: 'a',
  rulebook: 'b',
  addons: 2,
  files: 3,
  loaded: 2,
  asked: 2,
  failed: 0,
  different: 0
};

test('a game that ran is told with when that was found', () => {
  const s = { ...base, condition: 'running' as const, foundAt: '2026-11-29T11:58:00Z' };
  expect(standOf(s, now)).toEqual({ shape: 'filled', word: 'ran 2 min ago, 2 of 2 loaded', tone: 'ok' });
  expect(standOf({ ...s, loaded: 1, failed: 1 }, now).tone).toBe('block');
});

test('what is not as recorded is told beside what runs', () => {
  const s = { ...base, condition: 'running' as const, foundAt: '2026-11-29T11:58:00Z', different: 3 };
  expect(standOf(s, now)).toMatchObject({
    word: 'ran 2 min ago, 2 of 2 loaded, 3 not as recorded',
    tone: 'warn'
  });
});

test('what nobody has asked is not claimed', () => {
  expect(standOf(base, now).word).toBe('nobody has asked whether it runs, 2 of 2 loaded');
  expect(standOf({ ...base, addons: 0, asked: 0 }, now).word).toBe('nothing deployed');
});

test('a host that was not reached comes before what was known of its game', () => {
  const trouble = { level: 'block' as const, code: 'host-unreachable', what: 'x' };
  const s = { ...base, condition: 'running' as const, trouble, triedAt: '2026-11-29T11:00:00Z' };
  expect(standOf(s, now).word).toBe('not reached, 1 h ago');
});
