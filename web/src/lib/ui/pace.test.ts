import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { breath, teller } from './pace';

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

it('says the first at once, then the newest once in a breath, and nothing twice', () => {
  const said: string[] = [];
  const t = teller((w) => said.push(w));
  t.take('1 of 9');
  t.take('2 of 9');
  t.take('3 of 9');
  expect(said).toEqual(['1 of 9']);
  vi.advanceTimersByTime(breath);
  expect(said).toEqual(['1 of 9', '3 of 9']);
  t.take('3 of 9');
  vi.advanceTimersByTime(breath * 3);
  expect(said).toEqual(['1 of 9', '3 of 9']);
  t.take('9 of 9');
  expect(said).toEqual(['1 of 9', '3 of 9', '9 of 9']);
  t.take('gone');
  t.end();
  vi.advanceTimersByTime(breath * 3);
  expect(said).toHaveLength(3);
});
