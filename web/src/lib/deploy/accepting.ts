// Which blocks of a draft are still in the way, and what is sent for those
// that a person accepts.
import type { Deployment, Finding } from '../api/client';

/** What tells one finding of a draft from another. */
export const keyOf = (f: Pick<Finding, 'code' | 'path'>) => (f.path ? `${f.code}=${f.path}` : f.code);

/** Whether the draft's own records already accept a finding: by its path, or by its code for all paths. */
export function alreadyAccepted(d: Pick<Deployment, 'accepted'>, f: Finding): boolean {
  return d.accepted.some((a) => a.code === f.code && (!a.path || a.path === f.path));
}

/** Who accepted a finding, as far as the draft's records tell. */
export function acceptedBy(d: Pick<Deployment, 'accepted'>, f: Finding): string {
  return d.accepted.find((a) => a.code === f.code && (!a.path || a.path === f.path))?.by ?? '';
}

/** Whether a finding is something to do that a person ticks off. */
export const canTick = (f: Pick<Finding, 'code'>) => f.code === 'author-says';

export function accepting(d: Pick<Deployment, 'findings' | 'accepted'>, ticked: Record<string, boolean>) {
  const blocks = d.findings.filter((f) => f.level === 'block' && !alreadyAccepted(d, f));
  const open = blocks.filter((f) => !f.final && !ticked[keyOf(f)]).length;
  const ticks = d.findings.filter((f) => canTick(f) && !alreadyAccepted(d, f));
  const accept = [...blocks.filter((f) => !f.final), ...ticks].filter((f) => ticked[keyOf(f)]).map(keyOf);
  return { open, final: blocks.filter((f) => f.final).length, accept };
}
