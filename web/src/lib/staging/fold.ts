// Folding a crate's map: many files that go the same way for the same reason
// become one line that opens.

/** What a line is folded from; a file that is left out has no target. */
export interface Way {
  source: string;
  target?: string;
  reason: string;
  size: number;
}

export interface Line<W extends Way> {
  source: string;
  target?: string;
  reason: string;
  /** More than one where the line is folded. */
  ways: W[];
}

const few = 3; // so many files of one way are still written out

/**
 * Folds files of one group. Files are together when they have the same reason
 * and the same part of their path changes in the same way. The order is that
 * of each line's first file.
 */
export function fold<W extends Way>(ways: W[]): Line<W>[] {
  const groups = groupBy(ways, (w) => [w.reason, ...changed(w)].join('\0'));
  return groups.flatMap(([, g]) => (g.length > few ? [one(g)] : g.map(single)));
}

/** Groups items by a key, in the order in which the keys are first met. */
export function groupBy<T>(items: T[], key: (item: T) => string): [string, T[]][] {
  const groups = new Map<string, T[]>();
  for (const item of items) {
    const k = key(item);
    const group = groups.get(k);
    if (group) group.push(item);
    else groups.set(k, [item]);
  }
  return [...groups];
}

function single<W extends Way>(w: W): Line<W> {
  return { source: w.source, target: w.target, reason: w.reason, ways: [w] };
}

function one<W extends Way>(g: W[]): Line<W> {
  const targets = g.map((w) => w.target);
  const together = (paths: string[]) => `${commonFolder(paths)}**`;
  return {
    source: together(g.map((w) => w.source)),
    target: targets.every((t) => t !== undefined) ? together(targets) : undefined,
    reason: g[0]!.reason,
    ways: g
  };
}

/** The beginnings in which a source and its target differ: what is behind is equal. */
function changed(w: Way): [string, string] {
  const from = w.source.split('/');
  if (w.target === undefined) return ['', ''];
  const to = w.target.split('/');
  while (from.length && to.length && from.at(-1) === to.at(-1)) {
    from.pop();
    to.pop();
  }
  return [from.join('/'), to.join('/')];
}

/** The longest folder, with its slash, that all paths are in; '' for the root. */
function commonFolder(paths: string[]): string {
  let common = paths[0]!.split('/').slice(0, -1);
  for (const p of paths) {
    const parts = p.split('/').slice(0, -1);
    const differ = common.findIndex((part, i) => part !== parts[i]);
    if (differ >= 0) common = common.slice(0, differ);
  }
  return common.map((part) => `${part}/`).join('');
}
