// What a person dropped or chose, as archives to send: files as they are,
// folders as one tar each.
import { groupBy } from './fold';
import { pack, type Entry } from './tar';

export interface Pick {
  filename: string;
  body: Blob;
}

/** Reads a drop. Its items are only there during the event, so they are taken at once. */
export async function dropped(data: DataTransfer): Promise<Pick[]> {
  const found = [...data.items].map((i) => ({ entry: i.webkitGetAsEntry(), file: i.getAsFile() }));
  const picks: Pick[] = [];
  for (const { entry, file } of found) {
    if (entry?.isDirectory) picks.push(await folder(entry as FileSystemDirectoryEntry));
    else if (file) picks.push({ filename: file.name, body: file });
  }
  return picks;
}

/** Groups the files of a folder input by their topmost folder. */
export function chosenFolders(files: Iterable<File>): Pick[] {
  const entries = [...files].map((file) => ({ path: file.webkitRelativePath, file }));
  const tops = groupBy(entries, (e) => e.path.split('/', 1)[0]!);
  return tops.map(([top, inside]) => ({ filename: `${top}.tar`, body: pack(inside) }));
}

async function folder(dir: FileSystemDirectoryEntry): Promise<Pick> {
  const entries: Entry[] = [];
  await walk(dir, dir.name, entries);
  return { filename: `${dir.name}.tar`, body: pack(entries) };
}

async function walk(dir: FileSystemDirectoryEntry, path: string, out: Entry[]): Promise<void> {
  const reader = dir.createReader();
  // readEntries gives a part of the folder at a time, and nothing at its end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((ok, bad) => reader.readEntries(ok, bad));
    if (some.length === 0) return;
    for (const e of some) {
      const below = `${path}/${e.name}`;
      if (e.isDirectory) await walk(e as FileSystemDirectoryEntry, below, out);
      else {
        const file = await new Promise<File>((ok, bad) => (e as FileSystemFileEntry).file(ok, bad));
        out.push({ path: below, file });
      }
    }
  }
}
