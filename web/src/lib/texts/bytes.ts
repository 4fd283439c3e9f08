// Texts on their way to and from the service: bytes as base64, and the line ends that an
// editor does not keep.
import type { TextShown } from '../api/client';

const mark = '\ufeff';

export function toBase64(bytes: Uint8Array): string {
  let out = '';
  for (const b of bytes) out += String.fromCharCode(b);
  return btoa(out);
}

/** Why a text cannot be edited as a whole; empty where it can. */
export function notWhole(t: TextShown): string {
  if (t.masked)
    return 'It holds secrets that are not shown. Show them to edit the text; single values can be set without.';
  if (t.encoding !== 'utf-8') return `It is written in ${t.encoding}. Single values of it can be set.`;
  if (t.ends === 'mixed')
    return 'It has line ends of two kinds, which an editor would make alike. Single values of it can be set.';
  if (t.size > 1 << 20) return 'It is too long to be edited as a whole. Single values of it can be set.';
  return '';
}

/** The bytes of an edited text, in the line ends and with the byte-order mark that it had. */
export function edited(t: TextShown, doc: string): string {
  const lines = t.ends === 'crlf' ? doc.replaceAll('\n', '\r\n') : doc;
  const raw = atob(t.raw ?? '');
  const marked = raw.startsWith('\u00ef\u00bb\u00bf') ? mark + lines : lines;
  return toBase64(new TextEncoder().encode(marked));
}
