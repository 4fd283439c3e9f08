// Changing a name in all of a server's texts: which places change, and what is drafted for it.
import type { components } from '../api/generated/schema';

type S = components['schemas'];
export type NamedIn = S['NamedIn'];
export type NamePlace = S['NamePlace'];
type Renaming = S['Renaming'];
type TweakWish = S['TweakWish'];

/** The name of a place among all. */
export const keyOf = (p: NamePlace): string => `${p.path}:${p.nth}`;

/** Whether a place changes where nobody has said so: what names the things that the server loads
 * changes only where these are renamed too, and what a log tells never does. */
export const changesBefore = (p: NamePlace, renamed: boolean): boolean => !p.log && (!p.listed || renamed);

/** A tweak for each text in which something changes. */
export function rewrites(
  places: NamePlace[],
  changes: (p: NamePlace) => boolean,
  from: string,
  to: string,
  longer: boolean
): TweakWish[] {
  const byPath = new Map<string, NamePlace[]>();
  for (const p of places) byPath.set(p.path, [...(byPath.get(p.path) ?? []), p]);
  return [...byPath]
    .filter(([, all]) => all.some(changes))
    .map(([path, all]) => ({
      path,
      note: `${from} is called ${to}`,
      tweak: {
        do: 'replace',
        text: from,
        value: to,
        words: !longer,
        count: all.length,
        skip: all.filter((p) => !changes(p)).map((p) => p.nth)
      }
    }));
}

const quoted = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** The new names of files and folders that are called so, the outermost first: each is about the tree as
 * those before it leave it. What stands in a packed file keeps its name. */
export function renamings(paths: string[], from: string, to: string, longer: boolean): Renaming[] {
  const whole = new RegExp(`(^|[^\\p{L}\\p{N}_-])${quoted(from)}($|[^\\p{L}\\p{N}_-])`, 'gu');
  const depth = (p: string) => p.split('/').length;
  const out: Renaming[] = [];
  for (const path of [...paths].sort((a, b) => depth(a) - depth(b) || (a < b ? -1 : 1))) {
    if (path.includes('!/')) continue;
    const at = out.reduce((p, m) => (p.startsWith(m.from + '/') ? m.to + p.slice(m.from.length) : p), path);
    const cut = at.lastIndexOf('/') + 1;
    const base = at.slice(cut);
    const now = longer
      ? base.replaceAll(from, () => to)
      : base.replace(whole, (_, before: string, after: string) => before + to + after);
    if (now !== base) out.push({ from: at, to: at.slice(0, cut) + now });
  }
  return out;
}
