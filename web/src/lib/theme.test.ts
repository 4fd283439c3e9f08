// @vitest-environment happy-dom
import { afterEach, expect, it, vi } from 'vitest';
import { applyTheme, choose, follow, theme } from './theme';

/** A system that prefers one of the two, and changes its mind. */
function system(dark: boolean) {
  const media = Object.assign(new EventTarget(), { matches: dark });
  vi.stubGlobal('matchMedia', () => media);
  return (now: boolean) => {
    media.matches = now;
    media.dispatchEvent(new Event('change'));
  };
}

afterEach(() => {
  vi.unstubAllGlobals();
  localStorage.clear();
});

it('follows the system until a person chooses', () => {
  const prefer = system(false);
  const told: string[] = [];
  const stop = follow((now) => told.push(now));
  applyTheme();
  expect(document.documentElement.dataset.theme).toBe('light');
  prefer(true);
  expect(document.documentElement.dataset.theme).toBe('dark');
  choose('light');
  prefer(false);
  prefer(true);
  expect(theme()).toBe('light');
  expect(document.documentElement.dataset.theme).toBe('light');
  expect(told).toEqual(['dark', 'light', 'light']);
  stop();
  prefer(false);
  expect(told).toHaveLength(3);
});
