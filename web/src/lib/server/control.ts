// The form in which a person says how a server is stopped, started and spoken to,
// and what is sent of it.
import type { Control } from '../api/client';

type Way = NonNullable<Control['acts']>[string];
type Probe = NonNullable<Control['probes']>[number];
type Request = NonNullable<Way['http']>;

export const acts = ['stop', 'start', 'restart', 'reload', 'say'] as const;
export type Act = (typeof acts)[number];

/** One way, as it is typed; an empty "by" is none. */
export interface WayForm {
  by: '' | Way['by'] | 'port';
  /** Of a shell, a line for the console, or words for a person. */
  command: string;
  method: string;
  url: string;
  /** One header a line, "Name: value". */
  headers: string;
  body: string;
  expect: string;
  /** Of a probe: what says that it does not run, and where something listens. */
  stopped: string;
  address: string;
}

export interface ControlForm {
  acts: Record<Act, WayForm>;
  probes: WayForm[];
  rcon: string;
  stopWithin: string;
  readyWithin: string;
  warn: { seconds: string; line: string }[];
  /** By name; a value that is left empty stays as it is. */
  secrets: { name: string; value: string }[];
}

export const blankWay = (): WayForm => ({
  by: '',
  command: '',
  method: 'POST',
  url: '',
  headers: '',
  body: '',
  expect: '',
  stopped: '',
  address: ''
});

export const blankControl = (): ControlForm => ({
  acts: { stop: blankWay(), start: blankWay(), restart: blankWay(), reload: blankWay(), say: blankWay() },
  probes: [],
  rcon: '',
  stopWithin: '',
  readyWithin: '',
  warn: [],
  secrets: []
});

type Known = Partial<Omit<Way, 'by'> & Omit<Probe, 'by'>> & { by?: WayForm['by'] };

function wayOf(w: Known): WayForm {
  const h = w.http;
  return {
    ...blankWay(),
    by: w.by ?? '',
    command: w.command ?? '',
    method: h?.method ?? (h ? 'GET' : 'POST'),
    url: h?.url ?? '',
    headers: Object.entries(h?.headers ?? {})
      .map(([name, value]) => `${name}: ${value}`)
      .join('\n'),
    body: h?.body ?? '',
    expect: h?.expect ?? '',
    stopped: w.stopped ?? '',
    address: w.address ?? ''
  };
}

/** The form for what is known already; secrets are never shown. */
export function controlOf(c: Control): ControlForm {
  const form = blankControl();
  for (const act of acts) form.acts[act] = wayOf(c.acts?.[act] ?? {});
  form.probes = (c.probes ?? []).map(wayOf);
  form.rcon = c.rcon ?? '';
  form.stopWithin = c.stopWithin ? String(c.stopWithin) : '';
  form.readyWithin = c.readyWithin ? String(c.readyWithin) : '';
  form.warn = (c.warn ?? []).map((w) => ({ seconds: String(w.seconds), line: w.line }));
  form.secrets = saidControl(form).meant.map((name) => ({ name, value: '' }));
  return form;
}

function request(w: WayForm): Request {
  const headers = Object.fromEntries(
    w.headers
      .split('\n')
      .map((line) => line.split(/:(.*)/s))
      .filter(([name]) => name?.trim())
      .map(([name, value]) => [name!.trim(), (value ?? '').trim()])
  );
  return {
    method: w.method,
    url: w.url.trim(),
    ...(Object.keys(headers).length && { headers }),
    ...(w.body && { body: w.body }),
    ...(w.expect && { expect: w.expect })
  };
}

function way(w: WayForm): Pick<Way, 'command' | 'http'> {
  if (w.by === 'http') return { http: request(w) };
  return w.command.trim() ? { command: w.command.trim() } : {};
}

function probe(w: WayForm): Probe {
  const by = w.by as Probe['by'];
  if (by === 'port') return { by, address: w.address.trim() };
  if (by === 'http') return { by, http: request(w), ...(w.stopped && { stopped: w.stopped }) };
  return { by, ...(by !== 'rcon' && way(w)) };
}

/** What the form says; meant are the secrets that it speaks of. */
export function saidControl(f: ControlForm): {
  control: Control;
  secrets: Record<string, string>;
  meant: string[];
} {
  const chosen = acts.filter((a) => f.acts[a].by);
  const control: Control = {
    ...(chosen.length && {
      acts: Object.fromEntries(chosen.map((a) => [a, { by: f.acts[a].by as Way['by'], ...way(f.acts[a]) }]))
    }),
    ...(f.probes.some((p) => p.by) && { probes: f.probes.filter((p) => p.by).map(probe) }),
    ...(f.rcon.trim() && { rcon: f.rcon.trim() }),
    ...(Number(f.stopWithin) > 0 && { stopWithin: Number(f.stopWithin) }),
    ...(Number(f.readyWithin) > 0 && { readyWithin: Number(f.readyWithin) }),
    ...(f.warn.length && { warn: f.warn.map((w) => ({ seconds: Number(w.seconds) || 0, line: w.line })) })
  };
  const named = [...JSON.stringify(control).matchAll(/\{secret:([^}]+)\}/g)].map((m) => m[1]!);
  const meant = [...new Set([...(control.rcon ? ['rcon'] : []), ...named])];
  const secrets = Object.fromEntries(f.secrets.filter((s) => s.value).map((s) => [s.name, s.value]));
  return { control, secrets, meant };
}
