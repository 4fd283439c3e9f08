import { toServer } from '../../router';
import { base } from '../api/client';

/** The address of the page of one file. */
export const fileHref = (server: string, path: string) =>
  `${toServer(server, 'files')}?open=${encodeURIComponent(path)}`;

/** Where the bytes are that stood at a path: now, or before or after something that happened. */
export function contentHref(server: string, path: string, seq?: number, side: 'before' | 'after' = 'after') {
  const q = new URLSearchParams({ path, side });
  if (seq) q.set('seq', String(seq));
  return `${base}/servers/${encodeURIComponent(server)}/content?${q.toString()}`;
}
