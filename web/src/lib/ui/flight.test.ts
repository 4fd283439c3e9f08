import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { Flight } from './flight';

let at = 0;
beforeEach(() => {
  vi.useFakeTimers();
  at = 0;
});
afterEach(() => void vi.useRealTimers());

/** Moves a list for some frames of 16 ms, by so many pixels each. */
function scroll(f: Flight, pixels: number, frames = 3) {
  for (let i = 0; i < frames; i++) {
    vi.advanceTimersByTime(16);
    f.moved((at += pixels), Date.now());
  }
}

test('a list that is turned with a wheel is drawn wholly', () => {
  const f = new Flight();
  expect(f.fast).toBe(false);
  scroll(f, 20);
  expect(f.fast).toBe(false);
  scroll(f, -100);
  expect(f.fast).toBe(false);
});

test('a jump after a while is no flight', () => {
  const f = new Flight();
  vi.advanceTimersByTime(60_000);
  f.moved(20_000, Date.now());
  expect(f.fast).toBe(false);
});

test('a scrollbar that is dragged is one, up and down, until it goes slowly', () => {
  const f = new Flight();
  scroll(f, 240);
  expect([f.fast, f.down]).toEqual([true, true]);
  scroll(f, -240);
  expect([f.fast, f.down]).toEqual([true, false]);
  scroll(f, -100);
  expect(f.fast).toBe(true);
  scroll(f, -40);
  expect(f.fast).toBe(false);
});

test('what came in flight is made whole once, when the list stands still', () => {
  const f = new Flight();
  scroll(f, 240);
  const [stays, gone] = [vi.fn(), vi.fn()];
  f.landed(stays);
  f.landed(gone)();
  vi.advanceTimersByTime(110);
  expect(stays).not.toHaveBeenCalled();
  vi.advanceTimersByTime(20);
  expect(f.fast).toBe(false);
  vi.advanceTimersByTime(10_000);
  expect(stays).toHaveBeenCalledOnce();
  expect(gone).not.toHaveBeenCalled();
});

test('or as soon as it goes slowly', () => {
  const f = new Flight();
  f.moved(0, 1000);
  f.moved(300, 1016);
  const whole = vi.fn(() => expect(f.fast).toBe(false));
  f.landed(whole);
  f.moved(310, 1032);
  expect(whole).toHaveBeenCalledOnce();
});

test('a list that is left is not made whole', () => {
  const f = new Flight();
  scroll(f, 240);
  const whole = vi.fn();
  f.landed(whole);
  f.end();
  vi.advanceTimersByTime(10_000);
  expect(whole).not.toHaveBeenCalled();
});
