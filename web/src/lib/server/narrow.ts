// What a search by halves has found so far, in words.
import type { components } from '../api/generated/schema';
import { count } from '../format';

export type Narrowing = components['schemas']['Narrowing'];

const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1) + '.';

/** How a search stands. What it left of itself, where it is over, is told in the second sentence. */
export function told(n: Narrowing, server: string): string {
  if (!n.over) {
    const who = n.suspects.length === 1 ? n.suspects[0] : `one of ${count(n.suspects.length, 'add-on')}`;
    return `It may be ${who}; ${count(n.most, 'question')} more at most.`;
  }
  const after = n.note ? sentence(n.note) : `Everything on ${server} is as it was.`;
  const found = n.suspects;
  if (n.byStart && !n.down && found.length)
    return `None of them keeps ${server} down now: it came up with ${found.join(', ')} off, and in the end as it was. ${after}`;
  if (found.length === 1)
    return n.byStart
      ? `It is ${found[0]}: with it off the server comes up, and with it on it does not. ${after}`
      : `It is ${found[0]}: with it alone off it does not happen. ${after}`;
  if (found.length > 1)
    return `It is one of ${found.join(', ')}, which need each other and cannot be told apart. ${after}`;
  const still = n.byStart ? 'the server did not come up' : 'it still happened';
  return `It is none of them alone: with each of them off ${still}. ${after}`;
}

/** The add-on that is to blame; undefined where none, or more than one, was found. */
export const blamed = (n: Narrowing): string | undefined =>
  n.over && n.suspects.length === 1 && !(n.byStart && !n.down) ? n.suspects[0] : undefined;
