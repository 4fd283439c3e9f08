// What a survey found, in words, and what can be done about it.
import type { Survey, SurveyItem } from '../api/client';
import { clock, count, size } from '../format';

export type Deed = 'restore' | 'accept' | 'tweak' | 'remove' | 'ignore';

const kinds: SurveyItem['kind'][] = ['changed', 'missing', 'unknown'];

/** What was deployed first, then what lies in the folder of an add-on, then the rest. */
export function ordered(items: SurveyItem[]): SurveyItem[] {
  const rank = (i: SurveyItem) => kinds.indexOf(i.kind) * 2 + (i.kind === 'unknown' && !i.in ? 1 : 0);
  return items.toSorted((a, b) => rank(a) - rank(b) || a.path.localeCompare(b.path));
}

/** What can be done about all of some differences at once. */
export function deeds(items: SurveyItem[]): Deed[] {
  const can = (i: SurveyItem): Deed[] => {
    if (i.kind === 'unknown') return i.is.being === 'foreign' ? ['ignore'] : ['remove', 'ignore'];
    if (i.is.being === 'foreign') return [];
    return i.kind === 'changed' && i.diff ? ['restore', 'accept', 'tweak'] : ['restore', 'accept'];
  };
  const all: Deed[] = ['restore', 'accept', 'tweak', 'remove', 'ignore'];
  return items.length === 0 ? [] : all.filter((d) => items.every((i) => can(i).includes(d)));
}

export function settling(items: SurveyItem[], deed: Exclude<Deed, 'ignore'>) {
  return items.map((i) => ({ path: i.path, do: deed }));
}

/** Whose it is, and how it differs. */
export function about(i: SurveyItem): string {
  const said: string[] = [];
  if (i.owner) said.push(i.owner);
  else if (i.in) said.push(`in the folder of ${i.in}`);
  if (i.files) said.push(`${count(i.files, 'file')}, ${size(i.bytes ?? 0)}`);
  else if (i.is.being === 'foreign') said.push('a link or device');
  else if (i.kind === 'changed' && (i.is.size ?? 0) !== (i.was.size ?? 0))
    said.push(`${size(i.is.size ?? 0)}, was ${size(i.was.size ?? 0)}`);
  else if (i.is.being === 'content') said.push(size(i.is.size ?? 0));
  said.push(i.new ? 'new' : `since ${clock(i.since)}`);
  return said.join(' · ');
}

/** "2 changed and 1 missing outside, 14 as recorded", and what nobody deployed. */
export function sums(s: Pick<Survey, 'counts'>): string {
  const c = s.counts;
  const well = c.same + c.edited;
  const bad = [c.changed && `${c.changed} changed`, c.missing && `${c.missing} missing`].filter(Boolean);
  const words = bad.length
    ? `${bad.join(' and ')} outside, ${well} as recorded`
    : `All ${count(well, 'file')} as recorded`;
  return c.unknown ? `${words}; ${count(c.unknown, 'file')} that nobody deployed` : words;
}
