// A server's tree as rows one below the other: what is open is followed by what is in it.
import type { FolderRow } from '../api/client';

export interface TreeRow {
  path: string;
  depth: number;
  row: FolderRow;
  open: boolean;
  /** It is open, and what is in it has not come yet. */
  coming: boolean;
}

export const below = (folder: string, name: string) => (folder ? `${folder}/${name}` : name);

/** The rows that are seen. known gives what is in a folder, as far as that has come. */
export function treeRows(
  known: ReadonlyMap<string, FolderRow[]>,
  opened: ReadonlySet<string>,
  folder = '',
  depth = 0
): TreeRow[] {
  const out: TreeRow[] = [];
  for (const row of known.get(folder) ?? []) {
    const path = below(folder, row.name);
    const open = row.folder && opened.has(path);
    out.push({ path, depth, row, open, coming: open && !known.has(path) });
    if (open) out.push(...treeRows(known, opened, path, depth + 1));
  }
  return out;
}

/** The folders that have to be open for a path to be seen, the root first. */
export function foldersOf(path: string): string[] {
  const parts = path.split('/').slice(0, -1);
  return parts.map((_, i) => parts.slice(0, i + 1).join('/'));
}

/** What is to be said of a row beside its size: who it is of, and how it was found. */
export function ownerOf(row: FolderRow): string {
  if (row.folder) return row.files ? '' : 'nobody deployed it';
  if (!row.file) return 'nobody deployed it';
  return row.file.crates.join(', ') || 'the server’s own, edited here';
}
