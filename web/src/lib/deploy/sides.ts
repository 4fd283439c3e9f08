// Which side of a conflict stays.
import type { Finding } from '../api/client';

export type Side = 'mine' | 'theirs';

/** PATH:KEY of a conflict, under which it is decided; empty for any other finding. */
export function whose(f: Finding): string {
  return f.remedies?.find((r) => r.do === 'keep-mine')?.with ?? '';
}

/** What a side has, as it is shown. */
export function stands(text: string): string {
  return text === '' ? '(nothing)' : text.replace(/\r?\n$/, '');
}

/** The decisions of a draft's conflicts, once there are any: nothing while none is made. */
export function decided(
  conflicts: Finding[],
  chosen: Record<string, Side>
): { keep: Record<string, Side>; left: number } | undefined {
  const keep = Object.fromEntries(
    conflicts.map((f) => [whose(f), chosen[whose(f)]] as const).filter((k): k is [string, Side] => !!k[1])
  );
  const n = Object.keys(keep).length;
  return n ? { keep, left: conflicts.length - n } : undefined;
}
