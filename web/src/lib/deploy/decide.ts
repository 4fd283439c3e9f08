// A draft that leaves something open is made anew with a decision; the one before is given up.
import type { QueryClient } from '@tanstack/svelte-query';
import { navigate } from '../../router';
import { api, ok, type Deployment, type Remedy } from '../api/client';
import { result } from '../api/jobs';
import type { components } from '../api/generated/schema';

export type Decision = components['schemas']['Decision'];

export async function decide(client: QueryClient, d: Deployment, body: Decision) {
  const next = await result<Deployment>(
    await ok(
      api.POST('/servers/{server}/deployments/{number}/decide', {
        params: { path: { server: d.server, number: d.number } },
        body
      })
    )
  );
  await client.invalidateQueries({ queryKey: ['status', d.server] });
  await navigate('/servers/:server/deployments/:number', {
    params: { server: d.server, number: String(next.number) }
  });
}

export interface Choice {
  words: string;
  decision: Decision;
}

/** What a person can decide about a draft by one click, of what a finding says would help. */
export function choicesOf(remedies: Remedy[] | undefined): Choice[] {
  return (remedies ?? []).flatMap((r): Choice[] => {
    const it = r.with ?? '';
    switch (r.do) {
      case 'take-needs':
        return [{ words: `Take ${it.split(' ').join(', ')} along`, decision: { takeNeeds: true } }];
      case 'instead-of':
        return [{ words: `Take ${it} off the server`, decision: { insteadOf: [it] } }];
      case 'replace-copy':
        return [{ words: 'Replace it', decision: { replace: [it] } }];
      case 'set-aside':
        return [{ words: `Take ${it} off too`, decision: { replace: [it] } }];
      case 'rewrite-along': {
        const [from = '', to = ''] = it.split(' ');
        return [{ words: `Change ${from} to ${to} in texts`, decision: { rewrite: [{ from, to }] } }];
      }
      case 'leave-out':
        return [{ words: `Leave ${it} out`, decision: { leaveOut: [it] } }];
    }
    return [];
  });
}
