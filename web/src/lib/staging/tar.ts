// A folder as one tar, built without holding any file's bytes: the browser
// reads the parts of a Blob when they are sent. Written to POSIX.1-2001 (pax).

/** A file and its path in the archive, slash-separated, no leading slash. */
export interface Entry {
  path: string;
  file: Blob;
}

const block = 512;
const ustarName = 100; // bytes in the name field
const ustarSize = 8 ** 11; // first size that eleven octal digits cannot hold
const text = new TextEncoder();

/** Packs the entries in the order of their paths. */
export function pack(entries: Entry[]): Blob {
  const parts: BlobPart[] = [];
  const sorted = entries.toSorted((a, b) => (a.path < b.path ? -1 : a.path > b.path ? 1 : 0));
  for (const { path, file } of sorted) {
    parts.push(...headers(path, file.size), file, padding(file.size));
  }
  parts.push(new Uint8Array(2 * block));
  return new Blob(parts, { type: 'application/x-tar' });
}

function padding(size: number): Uint8Array<ArrayBuffer> {
  return new Uint8Array((block - (size % block)) % block);
}

/** The entry's own header, behind a pax header where the name or the size does not fit. */
function headers(path: string, size: number): BlobPart[] {
  const name = text.encode(path);
  let records = '';
  if (name.length > ustarName || name.length !== path.length) records += record('path', path);
  if (size >= ustarSize) records += record('size', String(size));
  const own = header(name.slice(0, ustarName), size < ustarSize ? size : 0, '0');
  if (!records) return [own];
  const body = text.encode(records);
  return [header(text.encode('pax-header'), body.length, 'x'), body, padding(body.length), own];
}

/** A pax record: its own length in decimal, a space, key=value, a line feed. */
function record(key: string, value: string): string {
  const bare = text.encode(` ${key}=${value}\n`).length;
  let length = bare + String(bare).length;
  if (bare + String(length).length !== length) length = bare + String(length).length;
  return `${length} ${key}=${value}\n`;
}

function header(name: Uint8Array, size: number, type: string): Uint8Array<ArrayBuffer> {
  const h = new Uint8Array(block);
  const put = (at: number, s: string) => h.set(text.encode(s), at);
  const octal = (at: number, width: number, n: number) => put(at, n.toString(8).padStart(width - 1, '0'));
  h.set(name, 0);
  octal(100, 8, 0o644);
  octal(108, 8, 0);
  octal(116, 8, 0);
  octal(124, 12, size);
  octal(136, 12, 0); // no times: the same folder gives the same bytes
  put(148, ' '.repeat(8));
  put(156, type);
  put(257, 'ustar\x0000');
  const sum = h.reduce((a, b) => a + b, 0);
  put(148, `${sum.toString(8).padStart(6, '0')}\0 `);
  return h;
}
