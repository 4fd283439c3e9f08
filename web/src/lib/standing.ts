// How a server and a deployment stand, in a word, a shape and a tone.
import type { Deployment, Status } from './api/client';
import { clock } from './format';
import { usualPort, type Reach } from './server/transport';
import type { Tone } from './ui/tone';

export interface Standing {
  shape: 'filled' | 'half' | 'empty';
  word: string;
  tone: Tone;
}

/** The rungs of an add-on, in the order in which it climbs them. */
export const rungs = ['placed', 'listed', 'loaded', 'confirmed'];

/** What a finding is called that tells of files that somebody else changed. */
const outside = ['changed-file', 'missing-file'];

/** The draft since the last deployment that found files changed by somebody else. */
function drafted(s: Pick<Status, 'drafts' | 'settled'>): Deployment | undefined {
  return s.drafts.find(
    (d) => d.number > (s.settled ?? 0) && d.findings.some((f) => outside.includes(f.code))
  );
}

/** A server's standing: what is open on it decides, then what is there and loads. */
export function standing(
  s:
    | (Pick<Status, 'open' | 'addons' | 'drafts' | 'settled'> &
        Partial<Pick<Status, 'looked' | 'agree' | 'survey' | 'last'>>)
    | undefined
): Standing {
  if (!s) return { shape: 'empty', word: 'not looked at yet', tone: 'ink' };
  if (s.open?.state === 'halted') return { shape: 'half', word: 'halted half-way', tone: 'block' };
  if (s.open) return { shape: 'half', word: `${s.open.name} is ${s.open.state}`, tone: 'warn' };
  if (s.addons.length === 0) return { shape: 'empty', word: 'nothing deployed', tone: 'ink' };
  const failed = s.addons.filter((a) => a.trouble).length;
  if (failed) return { shape: 'filled', word: `${failed} did not load`, tone: 'block' };
  // A survey tells of everything, as long as nothing was deployed since.
  const survey =
    s.survey && !(Date.parse(s.last?.endedAt ?? '') > Date.parse(s.survey.at)) ? s.survey : undefined;
  if (survey && survey.counts.changed + survey.counts.missing > 0)
    return {
      shape: 'filled',
      word: `${survey.counts.changed + survey.counts.missing} changed outside, surveyed ${clock(survey.at)}`,
      tone: 'warn'
    };
  const saw = survey ? undefined : drafted(s);
  if (saw) return { shape: 'filled', word: `changed outside, as ${saw.name} saw`, tone: 'warn' };
  const apart = s.agree?.found.length;
  if (apart)
    return {
      shape: 'filled',
      word: `${apart === 1 ? 'two values do' : `${apart} pairs of values do`} not go together`,
      tone: 'warn'
    };
  if (survey) return { shape: 'filled', word: `as recorded, surveyed ${clock(survey.at)}`, tone: 'ok' };
  // Without one, only what deployments are about was looked at.
  const word = s.looked
    ? `as ${s.looked.deployment} saw it, ${clock(s.looked.at)}`
    : 'deployed, and not looked at since';
  return { shape: 'filled', word, tone: 'ok' };
}

const tones: Record<Deployment['state'], Tone> = {
  draft: 'note',
  queued: 'note',
  running: 'warn',
  waiting: 'warn',
  done: 'ok',
  halted: 'block',
  undoing: 'warn',
  undone: 'ink',
  discarded: 'ink'
};

/** The tone of a deployment's stamp. */
export function toneOf(state: Deployment['state']): Tone {
  return tones[state];
}

/** Whether a deployment is being worked on just now. */
export function moving(state: Deployment['state']): boolean {
  return state === 'queued' || state === 'running' || state === 'undoing';
}

/** "3 in, 2 changed, 1 out, 2 texts edited"; what is nought is left out. */
export function counts(c: {
  in: number;
  changed: number;
  out: number;
  edited?: number;
  accepted?: number;
}): string {
  const parts = [
    c.in && `${c.in} in`,
    c.changed && `${c.changed} changed`,
    c.out && `${c.out} out`,
    c.accepted && `${c.accepted} taken in`,
    c.edited && `${c.edited} ${c.edited === 1 ? 'text' : 'texts'} edited`
  ].filter(Boolean);
  return parts.length ? parts.join(', ') : 'no file changes';
}

/** "sftp to keeper@host:22" or "the folder /srv/x". */
export function reachedBy(t: {
  kind: Reach['kind'];
  root?: string;
  host?: string;
  port?: number;
  user?: string;
}): string {
  if (t.kind === 'folder') return `the folder ${t.root}`;
  const port = t.port && t.port !== usualPort(t.kind) ? `:${t.port}` : '';
  return `${{ sftp: 'SFTP', ftps: 'FTP with TLS', ftp: 'plain FTP' }[t.kind]} to ${t.user}@${t.host}${port}`;
}
