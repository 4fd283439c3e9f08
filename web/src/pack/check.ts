// A player's own folder against a packing list: names and hashes are compared here, in the browser,
// and nothing leaves it.
import type { components } from '../lib/api/generated/schema';

export type Packlist = components['schemas']['Packlist'];
export type PackEntry = components['schemas']['PackEntry'];
type PackFile = components['schemas']['PackFile'];

/** A file of the player's: its path below the folder that was given, and how its bytes are read. */
export interface Own {
  path: string;
  size: number;
  sha256: () => Promise<string>;
}

export interface Deed {
  what: 'add' | 'replace' | 'remove';
  entry: PackEntry;
  /** The player's files that it is about, by their paths. */
  own: string[];
  /** The list's files that are not there. */
  missing: string[];
}

export interface Verdict {
  deeds: Deed[];
  /** What is there as it must be, or may be. */
  right: PackEntry[];
  /** What may be there and is not. */
  could: PackEntry[];
  /** How many files were looked at, and how many of them were read. */
  files: number;
  read: number;
}

const fold = (s: string) => s.normalize('NFC').toLowerCase();
const base = (path: string) => path.slice(path.lastIndexOf('/') + 1);

/** Letters and digits of a name, without a version behind it: how files of one add-on are alike. */
export function stem(name: string): string {
  const plain = fold(base(name)).replace(/\.[a-z0-9]{1,5}$/, '');
  return plain
    .replace(/[-_ .]*v?\d+([._-]\d+)*([-_.+ ]?(alpha|beta|rc|pre|dev|snapshot)[-_. ]?\d*)?$/, '')
    .replace(/[^\p{L}\p{N}]/gu, '');
}

/** Compares a folder with a list. Only files that could be of the list are read. */
export async function check(
  list: Packlist,
  own: Own[],
  tell: (done: number, all: number) => void = () => {}
): Promise<Verdict> {
  const sizes = new Set<number>();
  const names = new Set<string>();
  for (const e of list.entries) {
    for (const f of [...(e.files ?? []), ...(e.old ?? [])]) {
      sizes.add(f.size);
      names.add(fold(base(f.path)));
    }
  }
  const candidates = own.filter((o) => sizes.has(o.size) || names.has(fold(base(o.path))));
  const hash = new Map<Own, string>();
  for (const [i, o] of candidates.entries()) {
    tell(i, candidates.length);
    hash.set(o, await o.sha256());
  }
  tell(candidates.length, candidates.length);
  const byHash = new Map<string, Own[]>();
  for (const [o, h] of hash) byHash.set(h, [...(byHash.get(h) ?? []), o]);
  const out: Verdict = { deeds: [], right: [], could: [], files: own.length, read: hash.size };
  for (const e of list.entries) {
    if (e.need === 'must-not') {
      const there = forbidden(e, own, byHash);
      if (there.length) out.deeds.push({ what: 'remove', entry: e, own: there, missing: [] });
      continue;
    }
    if (e.need !== 'must' && e.need !== 'may') continue;
    judge(e, own, byHash, out);
  }
  return out;
}

/** What of a player's folder is something that must not be there: by its bytes, or by its name. */
function forbidden(e: PackEntry, own: Own[], byHash: Map<string, Own[]>): string[] {
  const known = [...(e.files ?? []), ...(e.old ?? [])].flatMap((f) => byHash.get(f.sha256) ?? []);
  const name = stem(e.name);
  const named = own.filter((o) => name !== '' && o.path.split('/').some((part) => stem(part) === name));
  return [...new Set([...known, ...named].map((o) => o.path))];
}

function judge(e: PackEntry, own: Own[], byHash: Map<string, Own[]>, out: Verdict): void {
  const files = e.files ?? [];
  if (!files.length) return; // the list does not say which files it is
  const missing = files.filter((f) => !byHash.has(f.sha256));
  const old = stale(e, files, missing, own, byHash);
  if (!missing.length) {
    // Everything is there; an earlier version beside it has to go.
    if (old.length) out.deeds.push({ what: 'remove', entry: e, own: old, missing: [] });
    else out.right.push(e);
    return;
  }
  const paths = missing.map((f) => f.path);
  if (old.length || missing.length < files.length)
    out.deeds.push({ what: 'replace', entry: e, own: old, missing: paths });
  else if (e.need === 'must') out.deeds.push({ what: 'add', entry: e, own: [], missing: paths });
  else out.could.push(e);
}

/** The player's files that are an earlier version, or another build under the same name. */
function stale(
  e: PackEntry,
  files: PackFile[],
  missing: PackFile[],
  own: Own[],
  byHash: Map<string, Own[]>
): string[] {
  const right = new Set(files.flatMap((f) => byHash.get(f.sha256) ?? []));
  const known = (e.old ?? []).flatMap((f) => byHash.get(f.sha256) ?? []);
  const names = new Set(missing.map((f) => fold(base(f.path))));
  // A name alone tells a single file, and not one of the many that every add-on has.
  const named =
    files.length === 1 || !missing.length
      ? own.filter((o) => names.has(fold(base(o.path))))
      : own.filter((o) => missing.some((f) => fold(o.path).endsWith(fold(f.path))));
  const alike =
    files.length === 1
      ? own.filter((o) => stem(o.path) === stem(files[0]!.path) && ext(o.path) === ext(files[0]!.path))
      : [];
  return [...new Set([...known, ...named, ...alike].filter((o) => !right.has(o)).map((o) => o.path))];
}

const ext = (path: string) => /\.[^./]*$/.exec(fold(path))?.[0] ?? '';
