// How figures are written for people, the same as on the command line.

export function size(n: number): string {
  if (n < 1000) return `${n}\u00a0B`;
  if (n < 1e6) return `${(n / 1e3).toFixed(1)}\u00a0kB`;
  if (n < 1e9) return `${(n / 1e6).toFixed(1)}\u00a0MB`;
  return `${(n / 1e9).toFixed(1)}\u00a0GB`;
}

export function duration(ms: number): string {
  return ms < 1000 ? `${ms} ms` : `${(ms / 1000).toFixed(1)} s`;
}

export function count(n: number, thing: string): string {
  return n === 1 ? `1 ${thing}` : `${n} ${thing}s`;
}

/** 2026-11-25 09:14, in the reader's own time zone. */
export function clock(iso: string): string {
  const d = new Date(iso);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())} ${two(d.getHours())}:${two(d.getMinutes())}`;
}

/** The part of a path before the last slash, with it, and the part behind. */
export function splitPath(path: string): [string, string] {
  const at = path.lastIndexOf('/') + 1;
  return [path.slice(0, at), path.slice(at)];
}

/** "37 %" of a whole; what is not whole yet is never said to be 100. */
export function percent(part: number, whole: number): string {
  if (whole <= 0) return '100 %';
  return `${part >= whole ? 100 : Math.min(99, Math.floor((part / whole) * 100))} %`;
}

/** "6 min ago"; what is longer ago than a month is told by its date. */
export function ago(iso: string, now = Date.now()): string {
  const s = Math.round((now - Date.parse(iso)) / 1000);
  if (s < 0) return clock(iso);
  if (s < 60) return 'just now';
  if (s < 3600) return `${Math.floor(s / 60)} min ago`;
  if (s < 86_400) return `${Math.floor(s / 3600)} h ago`;
  if (s < 30 * 86_400)
    return Math.floor(s / 86_400) === 1 ? '1 day ago' : `${Math.floor(s / 86_400)} days ago`;
  return clock(iso).slice(0, 10);
}
