import { expect, test } from 'vitest';
import type { Schedule } from '../api/client';
import { cronAt, does, stands } from './schedules';

test('a schedule says what it does', () => {
  const s = (more: Partial<Schedule>) => ({ name: 'x', server: 'y', does: 'update', ...more }) as Schedule;
  expect(does(s({}))).toBe('update what is newer and fits');
  expect(does(s({ does: 'deploy', what: ['a@1', 'b'] }))).toBe('deploy a@1, b');
  expect(does(s({ does: 'restart' }))).toBe('restart');
});

test('what did not come through stands out', () => {
  expect(stands('done')).toBe('ok-ink');
  expect(stands('nothing')).toBe('');
  for (const state of ['failed', 'missed', 'occupied', 'broken']) expect(stands(state)).toBe('block-ink');
});

test('a time of the day becomes a cron expression', () => {
  expect(cronAt('04:05', '*')).toBe('5 4 * * *');
  expect(cronAt('23:30', '1')).toBe('30 23 * * 1');
});
