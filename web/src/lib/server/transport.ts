// The form in which a person says how a server is reached, and what is sent of it.
import type { NewServer } from '../api/client';

export interface Reach {
  kind: 'folder' | 'sftp' | 'ftps' | 'ftp';
  root: string;
  host: string;
  port: string;
  user: string;
  auth: 'key' | 'agent' | 'password';
  key: string;
  passphrase: string;
  password: string;
  /** The longest file that this way in takes, in MB as a person types it; empty: any. */
  limit: string;
}

export const blank = (): Reach => ({
  kind: 'sftp',
  root: '',
  host: '',
  port: '',
  user: '',
  auth: 'password',
  key: '',
  passphrase: '',
  password: '',
  limit: ''
});

/** The port that servers of this kind answer on. */
export const usualPort = (kind: Reach['kind']) => (kind === 'sftp' ? 22 : 21);

/** What a port may look like, and a limit in MB. */
export const portPattern =
  '0*([1-9][0-9]{0,3}|[1-5][0-9]{4}|6[0-4][0-9]{3}|65[0-4][0-9]{2}|655[0-2][0-9]|6553[0-5])';
export const limitPattern = '[0-9]+([.][0-9]+)?';

/** What is wrong with a file as a private key; empty where it looks like one. */
export function keyFault(text: string): string {
  if (text.includes('PRIVATE KEY-----') || text.startsWith('PuTTY-User-Key-File')) return '';
  if (/^(ssh|ecdsa|sk)-\S+ /.test(text))
    return 'This is the public half; the private key is the file without .pub.';
  return text.trim() === '' ? 'The file is empty.' : 'This is no private key.';
}

/** The transport and the secrets that the form holds; what does not belong to its kind is left out. */
export function said(r: Reach): Pick<NewServer, 'transport' | 'secrets'> {
  if (r.kind === 'folder') return { transport: { kind: 'folder', root: r.root.trim() }, secrets: {} };
  const { key, passphrase, password } = r;
  const auth = r.kind === 'sftp' ? r.auth : 'password';
  return {
    transport: {
      kind: r.kind,
      root: r.root.trim() || '.',
      host: r.host.trim(),
      port: Number(r.port) || usualPort(r.kind),
      user: r.user.trim(),
      auth,
      ...(Number(r.limit) > 0 && { uploadLimit: Math.round(Number(r.limit) * 1e6) })
    },
    secrets:
      auth === 'password' ? { password } : auth === 'key' ? { key, ...(passphrase && { passphrase }) } : {}
  };
}

/** The form for a server that is there already; secrets are never shown. */
export function reachOf(t: NewServer['transport']): Reach {
  return {
    ...blank(),
    kind: t.kind,
    root: t.root ?? '',
    host: t.host ?? '',
    port: String(t.port ?? usualPort(t.kind)),
    user: t.user ?? '',
    auth: t.auth ?? 'password',
    limit: t.uploadLimit ? String(t.uploadLimit / 1e6) : ''
  };
}
