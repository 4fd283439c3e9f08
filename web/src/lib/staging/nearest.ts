// Guessing how a file is placed from how the crate's other files are.
import type { Crate } from '../api/client';

/** The path in a place, as a rule would write it: in the add-on's own folder where its other files are. */
export function nearest(crate: Pick<Crate, 'name' | 'files'>, place: string): string {
  const own = (crate.files ?? []).some((f) => f.place === place && f.path.startsWith(`${crate.name}/`));
  return own ? '{name}/{path}' : '{path}';
}

/** A source's path below the add-on's root; undefined where it is outside of it. */
export function belowRoot(root: string, source: string): string | undefined {
  if (root === '.' || root === '') return source;
  return source.startsWith(`${root}/`) ? source.slice(root.length + 1) : undefined;
}
