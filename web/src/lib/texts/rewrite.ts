// Changing a name in all of a server's texts: which places change, and what is drafted for it.
import type { components } from '../api/generated/schema';

type S = components['schemas'];
export type NamedIn = S['NamedIn'];
export type NamePlace = S['NamePlace'];
type TweakWish = S['TweakWish'];

/** The name of a place among all. */
export const keyOf = (p: NamePlace): string => `${p.path}:${p.nth}`;

/** Whether a place changes where nobody has said so: what names the things that the server loads
 * changes only where these are renamed too, and what a log tells never does. */
export const changesBefore = (p: NamePlace, renamed: boolean): boolean => !p.log && (!p.listed || renamed);

/** What changes the places that change: a tweak of each text, which skips those that stay. */
export function rewrites(found: NamedIn, changes: (p: NamePlace) => boolean): TweakWish[] {
  return (found.tweaks ?? [])
    .map((w) => {
      const stay = found.places.filter((p) => p.path === w.path && !changes(p));
      return { ...w, tweak: { ...w.tweak!, skip: stay.map((p) => p.nth) } };
    })
    .filter((w) => w.tweak.skip.length < (w.tweak.count ?? 0));
}
