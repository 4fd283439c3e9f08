// Reading a folder that a player drops or chooses. A hash is made piece by piece, so that a large
// file is never in memory whole; the browser's own hashing needs TLS, which not every host has.
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import type { Own } from './check';

async function hashOf(file: File): Promise<string> {
  const hash = sha256.create();
  const reader = file.stream().getReader();
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return bytesToHex(hash.digest());
    hash.update(value);
  }
}

const own = (path: string, file: File): Own => ({ path, size: file.size, sha256: () => hashOf(file) });

/** The files that a person chose by a folder. */
export function chosen(files: FileList): Own[] {
  return [...files].map((f) => own(f.webkitRelativePath.replace(/^[^/]*\//, '') || f.name, f));
}

/** The files below what a person dropped. */
export async function dropped(items: DataTransferItemList): Promise<Own[]> {
  const entries = [...items].map((i) => i.webkitGetAsEntry()).filter((e) => e !== null); // the list is empty once the event is over
  const out: Own[] = [];
  const top = entries.length === 1;
  for (const e of entries) await walk(e, top && e.isDirectory ? '' : e.name, out);
  return out;
}

async function walk(e: FileSystemEntry, path: string, out: Own[]): Promise<void> {
  if (e.isFile) {
    const file = await new Promise<File>((yes, no) => (e as FileSystemFileEntry).file(yes, no));
    out.push(own(path, file));
    return;
  }
  const reader = (e as FileSystemDirectoryEntry).createReader();
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((yes, no) => reader.readEntries(yes, no)); // a hundred at a time
    if (!some.length) return;
    for (const child of some) await walk(child, path ? `${path}/${child.name}` : child.name, out);
  }
}
