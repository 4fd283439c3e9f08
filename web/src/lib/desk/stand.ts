// How a server stands, in a shape, a word and a tone: only what was found, and when.
import type { Stand } from '../api/client';
import type { Standing } from '../standing';
import { ago } from '../format';

export function standOf(s: Stand | undefined, now = Date.now()): Standing {
  if (!s) return { shape: 'empty', word: 'not looked at yet', tone: 'ink' };
  if (s.open?.state === 'halted')
    return { shape: 'half', word: `${s.open.name} halted half-way`, tone: 'block' };
  if (s.open) return { shape: 'half', word: `${s.open.name} is ${s.open.state}`, tone: 'warn' };
  if (s.trouble) return { shape: 'empty', word: `not reached, ${when(s.triedAt, now)}`, tone: 'block' };
  const loaded =
    (s.asked > 0 ? `, ${s.loaded} of ${s.asked} loaded` : '') +
    (s.different > 0 ? `, ${s.different} not as recorded` : '');
  const well = s.failed ? 'block' : s.different ? 'warn' : undefined;
  switch (s.condition) {
    case 'running':
      return {
        shape: s.failed ? 'half' : 'filled',
        word: `ran ${when(s.foundAt, now)}${loaded}`,
        tone: well ?? 'ok'
      };
    case 'stopped':
      return { shape: 'empty', word: `stopped ${when(s.foundAt, now)}`, tone: 'ink' };
    case 'unknown':
      return { shape: 'empty', word: `not known whether it runs, ${when(s.foundAt, now)}`, tone: 'warn' };
  }
  if (s.addons === 0) return { shape: 'empty', word: 'nothing deployed', tone: 'ink' };
  return {
    shape: s.failed ? 'half' : 'filled',
    word: `nobody has asked whether it runs${loaded}`,
    tone: well ?? 'ink'
  };
}

const when = (iso: string | undefined, now: number) => (iso ? ago(iso, now) : 'at the last look');
