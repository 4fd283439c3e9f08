// The map of a crate as rows one below the other, so that only those near the window need be drawn.
import type { Crate, Place } from '../api/client';
import { fold, groupBy, type Line, type Way } from './fold';

export type MapRow =
  | { kind: 'bar'; words: string; about?: string; files: number; tone?: 'warn'; key: string }
  | { kind: 'line'; line: Line<Way>; out: boolean; places: boolean; open: boolean; key: string }
  | { kind: 'inner'; way: Way; out: boolean; key: string };

const join = (folder: string | undefined, path: string) => (folder ? `${folder}/${path}` : path);

/** Where each file of a crate goes, place by place. */
function groupsOf(crate: Crate, places: Place[]): { place: string; about?: string; ways: Way[] }[] {
  const pathOf = Object.fromEntries(places.map((p) => [p.name, p.path === '.' ? '' : p.path]));
  const groups = groupBy(crate.files ?? [], (f) => f.place).map(([place, files]) => ({
    place,
    about: places.find((p) => p.name === place)?.about,
    ways: files.map((f): Way => ({
      ...f,
      target: join(pathOf[place] ?? place, f.into ? `${f.into}!/${f.path}` : f.path)
    }))
  }));
  if (crate.folders?.length)
    groups.push({
      place: 'Empty folders',
      about: undefined,
      ways: crate.folders.map((f) => ({
        source: `${f.source}/`,
        target: `${join(pathOf[f.place] ?? f.place, f.path)}/`,
        reason: 'It is empty, and is made there too.',
        size: 0
      }))
    });
  return groups;
}

/**
 * The rows of a map. opened are the keys of lines that are open; with find, only files in whose
 * path or reason its words stand are there, and folded lines are written out.
 */
export function mapRows(crate: Crate, places: Place[], opened: ReadonlySet<string>, find = ''): MapRow[] {
  const words = find.toLowerCase().split(/\s+/).filter(Boolean);
  const wanted = (w: Way) => {
    const text = `${w.source} ${w.target ?? ''} ${w.reason}`.toLowerCase();
    return words.every((x) => text.includes(x));
  };
  const out: MapRow[] = [];
  const group = (
    bar: { words: string; about?: string; tone?: 'warn' },
    all: Way[],
    left: boolean,
    placeable: boolean
  ) => {
    const ways = words.length ? all.filter(wanted) : all;
    if (ways.length === 0) return;
    out.push({ kind: 'bar', ...bar, files: ways.length, key: `bar ${bar.words}` });
    const lines = words.length
      ? ways.map((w) => ({ source: w.source, target: w.target, reason: w.reason, ways: [w] }))
      : fold(ways);
    for (const line of lines) {
      const key = `${bar.words} ${line.source} ${line.target ?? line.reason}`;
      const open = line.ways.length > 1 && opened.has(key);
      out.push({ kind: 'line', line, out: left, places: placeable, open, key });
      if (open)
        line.ways.forEach((way) => out.push({ kind: 'inner', way, out: left, key: `${key} ${way.source}` }));
    }
  };
  const left = crate.left ?? [];
  group(
    { words: 'No rule speaks of these', tone: 'warn' },
    left.filter((l) => !l.settled),
    false,
    true
  );
  for (const g of groupsOf(crate, places)) group({ words: g.place, about: g.about }, g.ways, false, false);
  group(
    { words: 'Left out' },
    left.filter((l) => l.settled),
    true,
    true
  );
  return out;
}
