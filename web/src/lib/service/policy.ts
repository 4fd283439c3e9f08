import type { components } from '../api/generated/schema';

/** The policy that was typed: days, versions and megabytes; what is empty says nothing. */
export function policyOf(days: string, versions: string, most: string): components['schemas']['Policy'] {
  const out: components['schemas']['Policy'] = {};
  if (Number(days) > 0) out.olderThan = Number(days) * 86_400_000;
  if (Number(versions) > 0) out.versions = Number(versions);
  if (Number(most) > 0) out.below = Number(most) * 1_000_000;
  return out;
}
