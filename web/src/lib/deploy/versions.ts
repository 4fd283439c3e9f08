// The order of versions, for lists. What is newer for a deployment the service decides.

/** More than 0 where a is newer than b, less where it is older, 0 where neither. */
export function newer(a: string, b: string): number {
  const [x, y] = [partsOf(a), partsOf(b)];
  for (let i = 0; i < Math.max(x.length, y.length); i++) {
    const [p, q] = [x[i], y[i]];
    if (p === q) continue;
    // What is behind a release is newer, but for words such as beta, which come before it.
    if (p === undefined) return typeof q === 'string' ? 1 : -1;
    if (q === undefined) return typeof p === 'string' ? -1 : 1;
    if (typeof p !== typeof q) return typeof p === 'number' ? 1 : -1;
    return p > q ? 1 : -1;
  }
  return 0;
}

function partsOf(version: string): (number | string)[] {
  return (version.toLowerCase().match(/\d+|[a-z]+/g) ?? []).map((p) => (/^\d/.test(p) ? Number(p) : p));
}

/** Others of an add-on, the neighbour first: the next older ones, and then the next newer. */
export function neighbours<T extends { version: string }>(version: string, others: T[]): T[] {
  const older = others.filter((o) => newer(o.version, version) <= 0);
  const later = others.filter((o) => newer(o.version, version) > 0);
  return [
    ...older.toSorted((a, b) => newer(b.version, a.version)),
    ...later.toSorted((a, b) => newer(a.version, b.version))
  ];
}
