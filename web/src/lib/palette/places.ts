// What the palette finds: pages, servers with their parts, add-ons, deployments, crates and files.
import { p, toDeployment, toServer } from '../../router';
import type { Crate, Deployment, Status } from '../api/client';

export interface Place {
  kind: 'page' | 'action' | 'server' | 'add-on' | 'deployment' | 'crate' | 'file';
  words: string;
  /** What is told beside it. */
  more: string;
  href: string;
}

const pages: [string, string][] = [
  ['Desk: what needs you', '/'],
  ['Staging: downloads and crates', '/staging'],
  ['Deployments of all servers', '/deployments'],
  ['Schedules and notices', '/schedules'],
  ['Rulebooks', '/rulebooks'],
  ['Make a rulebook', '/make-rulebook'],
  ['Groups of servers', '/groups'],
  ['Jobs: what the service does', '/jobs'],
  ['Service: stockroom, sign-in, tokens', '/service']
];

const parts: [string, string][] = [
  ['updates', 'updates'],
  ['running', 'stop, start, log, roll call'],
  ['files', 'files'],
  ['survey', 'survey, adopt'],
  ['texts', 'settings texts'],
  ['timeline', 'timeline, way back'],
  ['compare', 'compare two moments'],
  ['players', 'packing list'],
  ['about', 'way in, facts, limits']
];

/** Everything that is known without asking the service. */
export function places(statuses: Status[], deployments: Deployment[], crates: Crate[]): Place[] {
  const out: Place[] = pages.map(([words, href]) => ({ kind: 'page', words, more: '', href }));
  const action = (words: string, href: string) => out.push({ kind: 'action', words, more: '', href });
  action('Add a server', '/?do=add');
  action('Stage a download', '/staging');
  for (const s of statuses) {
    const name = s.server.name;
    action(`Deploy to ${name}`, `${toServer(name)}?do=deploy`);
    action(`Survey ${name}`, toServer(name, 'survey'));
    action(`Change settings of ${name}`, toServer(name, 'texts'));
    action(`Start or stop ${name}`, toServer(name, 'running'));
    out.push({ kind: 'server', words: name, more: s.server.rulebook, href: toServer(name) });
    for (const [tab, words] of parts)
      out.push({ kind: 'server', words: `${name}: ${words}`, more: '', href: toServer(name, tab) });
    for (const a of s.addons)
      out.push({
        kind: 'add-on',
        words: `${a.name} ${a.version ?? ''}`.trim(),
        more: `on ${name}, ${a.rung}`,
        href: `${toServer(name, 'files')}?find=${encodeURIComponent(a.name)}`
      });
  }
  for (const d of deployments)
    out.push({ kind: 'deployment', words: d.name, more: `${d.title}, ${d.state}`, href: toDeployment(d) });
  for (const c of crates)
    out.push({
      kind: 'crate',
      words: c.label,
      more: c.rulebook,
      href: p('/crates/:digest', { params: { digest: c.digest } })
    });
  return out;
}

/**
 * Those that hold every word that was typed, the best first: what begins with it, then what has it
 * at the beginning of a word, then the shorter one.
 */
export function find(all: Place[], typed: string, most = 40): Place[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return all.slice(0, most);
  const scored: [number, Place][] = [];
  for (const place of all) {
    const text = place.words.toLowerCase();
    const whole = `${text} ${place.more.toLowerCase()} ${place.kind}`;
    if (!words.every((w) => whole.includes(w))) continue;
    const w = words[0]!;
    const at = text.indexOf(w);
    const rank = at === 0 ? 0 : at > 0 && !/[a-z0-9]/.test(text[at - 1]!) ? 1 : at > 0 ? 2 : 3;
    scored.push([rank * 1000 + text.length, place]);
  }
  return scored
    .sort((a, b) => a[0] - b[0])
    .slice(0, most)
    .map(([, place]) => place);
}
