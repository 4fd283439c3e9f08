// What a person can do about a thing that waits: in the words of a button, and where it leads.
import type { Need, Remedy } from '../api/client';
import { linkOf } from '../remedies';

export interface Deed {
  words: string;
  /** Where it leads; absent for what is done at once. */
  href?: string;
  does?: 'tick' | 'start' | 'test';
  /** What it is done to. */
  on: string;
}

// In other words than where links are told beside findings: a button says what is done.
const words: Record<string, string> = {
  'show-deployment': 'Look and decide',
  'show-addons': 'Look and decide',
  'show-updates': 'See them',
  'call-roll': 'Read why',
  'read-log': 'Read its log',
  'edit-server': 'To the way in',
  narrow: 'Answer it',
  'show-texts': 'Look and decide',
  'show-schedules': 'Read what came of it',
  'show-crates': 'See it',
  survey: 'Look and decide'
};

const done: Record<string, [Deed['does'], string]> = {
  'tick-deployment': ['tick', 'It is done'],
  start: ['start', 'Start it'],
  'test-server': ['test', 'Try again']
};

/** A deed for a button; nothing for one that this console has no button for. */
export function deedOf(r: Remedy, n: Pick<Need, 'kind' | 'server'>): Deed | undefined {
  const on = r.on || n.server || '';
  const act = done[r.do];
  if (act) return { words: act[1], does: act[0], on };
  const link = linkOf(r, n.server);
  if (!link) return undefined;
  const said =
    r.do === 'show-deployment' && (n.kind === 'by-hand' || n.kind === 'failed')
      ? 'Read ' + on
      : (words[r.do] ?? link.words);
  return { words: said, href: link.href, on };
}

/** The stamp of a kind. */
export const stamps: Record<Need['kind'], string> = {
  halted: 'halted',
  'host-key': 'host key',
  'no-reach': 'no reach',
  down: 'down',
  failed: 'failed',
  'by-hand': 'by hand',
  search: 'search',
  unsuited: 'unsuited',
  blocked: 'blocked',
  changed: 'changed',
  silent: 'silent',
  apart: 'apart',
  missed: 'missed',
  unread: 'feed',
  untaken: 'no crate',
  drafted: 'drafted',
  update: 'update',
  released: 'new'
};
