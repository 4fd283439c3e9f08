// The form in which a person says how a server is reached, and what is sent of it.
import type { NewServer } from '../api/client';

export interface Reach {
  kind: 'folder' | 'sftp';
  root: string;
  host: string;
  port: string;
  user: string;
  auth: 'key' | 'agent' | 'password';
  key: string;
  passphrase: string;
  password: string;
}

export const blank = (): Reach => ({
  kind: 'sftp',
  root: '',
  host: '',
  port: '22',
  user: '',
  auth: 'password',
  key: '',
  passphrase: '',
  password: ''
});

/** The transport and the secrets that the form holds; what does not belong to its kind is left out. */
export function said(r: Reach): Pick<NewServer, 'transport' | 'secrets'> {
  if (r.kind === 'folder') return { transport: { kind: 'folder', root: r.root.trim() }, secrets: {} };
  const { auth, key, passphrase, password } = r;
  return {
    transport: {
      kind: 'sftp',
      root: r.root.trim() || '.',
      host: r.host.trim(),
      port: Number(r.port) || 22,
      user: r.user.trim(),
      auth
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
    port: String(t.port ?? 22),
    user: t.user ?? '',
    auth: t.auth ?? 'password'
  };
}
