// What jobs are called.
import type { Job } from '../api/client';

const does: Record<string, string> = {
  draft: 'drafting a deployment for',
  run: 'running',
  resume: 'resuming',
  undo: 'undoing',
  tick: 'going on with',
  tidy: 'tidying up after',
  stage: 'staging',
  again: 'laying out again by',
  survey: 'surveying',
  adopt: 'looking for add-ons on',
  act: 'stopping or starting',
  roll: 'calling the roll of',
  rollcall: 'calling the roll of',
  feed: 'reading the feed',
  schedule: 'doing what is scheduled:',
  checkup: 'looking over the records and the stockroom',
  learn: 'looking at',
  group: 'deploying to the group'
};

/** "staging tide-lamps-2.2.zip". */
export const jobWords = (j: Pick<Job, 'kind' | 'subject'>): string =>
  `${does[j.kind] ?? j.kind} ${j.subject ?? ''}`.trim();

/** Where what a job was about is seen; nothing where it is nowhere. */
export function jobHref(j: Pick<Job, 'kind' | 'subject'>): string | undefined {
  const subject = j.subject ?? '';
  const [server, number] = subject.split('#');
  if (number && /^[a-z0-9][a-z0-9-]*$/.test(server ?? '')) return `/servers/${server}/deployments/${number}`;
  if (j.kind === 'stage') return '/staging';
  if (['draft', 'survey', 'adopt', 'act', 'rollcall', 'learn'].includes(j.kind) && subject) {
    const tab = {
      survey: '/survey',
      adopt: '/survey',
      act: '/running',
      rollcall: '/running',
      learn: '/learn'
    }[j.kind as 'survey'];
    return `/servers/${subject}${tab ?? ''}`;
  }
  if (j.kind === 'schedule') return '/schedules';
  return undefined;
}
