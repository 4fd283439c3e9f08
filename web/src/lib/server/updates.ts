// How the updates of a server are put in order, and what there is to know of each.
import type { Update } from '../api/client';

export const held = (u: Update): boolean => u.hold?.held ?? false;

/** Why an add-on waits for a build that fits; empty where it does not. */
export function waits(u: Update): string {
  const unfit = u.unfit ? `${u.unfit.version} is staged and does not fit: ${u.unfit.why}` : '';
  const wrong = ['outside', 'other-loader', 'players-only'].includes(u.fit.state);
  if (wrong && !u.available)
    return `It waits for a build that fits: ${u.fit.why}${unfit ? `; ${unfit}` : ''}`;
  return unfit;
}

/** What can be updated first, then what waits for a fitting build, what is held, and the rest. */
export function sorted(list: Update[]): Update[] {
  const rank = (u: Update) => (u.available && !held(u) ? 0 : waits(u) ? 1 : held(u) ? 2 : 3);
  return list.toSorted((a, b) => rank(a) - rank(b) || a.addon.localeCompare(b.addon));
}

/** What a feed announces of an add-on, in a sentence; empty where none does. */
export function announced(u: Update): string {
  const a = u.announced;
  if (!a) return '';
  const wrong = ['outside', 'other-loader', 'players-only'].includes(a.fit.state);
  const fit = wrong
    ? ` and does not fit: ${a.fit.why ?? a.fit.state}`
    : a.fit.state === 'fits'
      ? ' and fits'
      : '';
  return `${a.version} is announced by the feed ${a.feed}${fit}`;
}
