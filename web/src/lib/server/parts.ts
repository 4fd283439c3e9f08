// The parts of how a server is controlled, in words.
import type { Control } from '../api/client';

export interface Part {
  name: string;
  title: string;
  how: string;
  /** Where it is tried: here, on the page on which it is done, or nowhere. */
  tried: 'here' | 'running' | '';
}

const by: Record<string, string> = {
  command: 'a command on the service’s machine',
  ssh: 'a command on the server’s host',
  http: 'an HTTP request',
  rcon: 'a line for its console',
  port: 'whether something listens on',
  hand: 'a person does it'
};

type Way = NonNullable<Control['acts']>[string];
const wayWords = (w: Way): string => [by[w.by] ?? w.by, w.command, w.http?.url].filter(Boolean).join(': ');

type Probe = NonNullable<Control['probes']>[number];
const probeWords = (p: Probe): string =>
  p.command
    ? `${by[p.by] ?? p.by}: ${p.command}`
    : [by[p.by] ?? p.by, p.address, p.http?.url].filter(Boolean).join(' ');

/** Every part, also those that nobody has said. */
export function partsOf(c: Control): Part[] {
  const act = (name: string, title: string, otherwise: string): Part => {
    const w = c.acts?.[name];
    return {
      name,
      title,
      how: w ? wayWords(w) : otherwise,
      tried: w || otherwise.startsWith('stop') ? 'running' : ''
    };
  };
  const probes = c.probes ?? [];
  return [
    {
      name: 'probes',
      title: 'Whether it runs',
      how: probes.length ? probes.map(probeWords).join('; ') : 'nobody has said how that is told',
      tried: probes.length ? 'here' : ''
    },
    act('stop', 'Stop', 'nobody has said how'),
    act('start', 'Start', 'nobody has said how'),
    act('restart', 'Restart', 'stop, then start'),
    {
      name: 'console',
      title: 'Console',
      how: c.rcon ? `RCON at ${c.rcon}` : c.acts?.say ? wayWords(c.acts.say) : 'nobody has said how',
      tried: c.rcon || c.acts?.say ? 'here' : ''
    },
    { name: 'log', title: 'Log', how: 'where the rulebook says', tried: 'here' },
    {
      name: 'warn',
      title: 'Warning before a stop',
      how: c.warn?.length ? c.warn.map((w) => `${w.seconds} s before: ${w.line}`).join('; ') : 'none',
      tried: ''
    }
  ];
}
