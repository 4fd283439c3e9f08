// What a form can know of a value of a text: from its type, and from what the comment beside
// it says.
import type { LedgerEvent, TextValue } from '../api/client';

/** How a value is asked for. */
export interface Asking {
  how: 'switch' | 'choice' | 'number' | 'colour' | 'text' | 'secret';
  /** With choice. */
  choices: string[];
  /** What the comment says about bounds, in words. */
  bounds: string;
  least?: number;
  most?: number;
}

const colour = /^#(?:[0-9a-f]{3}|[0-9a-f]{6}|[0-9a-f]{8})$/i;
const switches = ['true', 'false', 'yes', 'no', 'on', 'off'];

/** What words of a comment leave to choose from: "one of a, b, c", "a | b", "a, b or c". */
export function choicesIn(comment: string, value: string): string[] {
  const listed =
    /\b(?:one of|either|values?:|options?:|may be|can be)\s*:?\s*([^.\n;()]+)/i.exec(comment)?.[1] ??
    comment.split('\n').find((l) => l.includes('|'));
  if (!listed) return [];
  const words = listed
    .split(/\s*(?:,|\||\/|\bor\b|\band\b)\s*/i)
    .map((w) => w.trim().replace(/^["'`]|["'`]$/g, ''))
    .filter((w) => w !== '');
  // A sentence is no list: each must be one word, and the value one of them.
  const short = words.length > 1 && words.length <= 20 && words.every((w) => /^[\w.+-]{1,30}$/.test(w));
  return short && words.includes(value) ? words : [];
}

/** The bounds that a comment tells: "0-100", "1..5", "from 2 to 8", "at most 9", "min 1, max 4". */
export function boundsIn(comment: string): { least?: number; most?: number } {
  const n = '(-?\\d+(?:\\.\\d+)?)';
  const both =
    new RegExp(`\\b(?:from |between )?${n}\\s*(?:-|–|\\.\\.|to|and)\\s*${n}`, 'i').exec(comment) ?? undefined;
  if (both && Number(both[1]) < Number(both[2])) return { least: Number(both[1]), most: Number(both[2]) };
  const least = new RegExp(`\\b(?:at least|min(?:imum)?)[ :=]*${n}`, 'i').exec(comment)?.[1];
  const most = new RegExp(`\\b(?:at most|max(?:imum)?|up to)[ :=]*${n}`, 'i').exec(comment)?.[1];
  return {
    least: least === undefined ? undefined : Number(least),
    most: most === undefined ? undefined : Number(most)
  };
}

export function askingOf(v: TextValue): Asking {
  const value = v.value ?? '';
  const comment = v.comment ?? '';
  const asked: Asking = { how: 'text', choices: [], bounds: '' };
  if (v.secret) return { ...asked, how: 'secret' };
  // What the rulebook says it may be; what stands there stays among it, though it be wrong.
  if (v.choices?.length) {
    const choices = v.choices.includes(value) ? v.choices : [value, ...v.choices];
    return { ...asked, how: 'choice', choices };
  }
  asked.choices = choicesIn(comment, value);
  if (asked.choices.length) return { ...asked, how: 'choice' };
  if (v.type === 'bool' || (v.type !== 'number' && switches.includes(value.toLowerCase()))) {
    return { ...asked, how: 'switch' };
  }
  if (v.type === 'number' || /^-?\d+(\.\d+)?$/.test(value)) {
    const { least, most } = boundsIn(comment);
    const words = [
      least === undefined ? '' : `at least ${least}`,
      most === undefined ? '' : `at most ${most}`
    ];
    return { ...asked, how: 'number', least, most, bounds: words.filter((w) => w).join(', ') };
  }
  if (colour.test(value)) return { ...asked, how: 'colour' };
  return asked;
}

/** The other side of a switch, in the words that the text uses. */
export function flipped(value: string): string {
  const pairs: [string, string][] = [
    ['true', 'false'],
    ['yes', 'no'],
    ['on', 'off']
  ];
  for (const [a, b] of pairs) {
    if (value.toLowerCase() === a) return sameCase(value, b);
    if (value.toLowerCase() === b) return sameCase(value, a);
  }
  return value;
}

function sameCase(like: string, word: string): string {
  if (like === like.toUpperCase()) return word.toUpperCase();
  if (/^[A-Z]/.test(like)) return word.charAt(0).toUpperCase() + word.slice(1);
  return word;
}

/** Whether a switch is on. */
export const isOn = (value: string): boolean => ['true', 'yes', 'on'].includes(value.toLowerCase());

/** What is wrong with a typed value, in words; empty where nothing is. */
export function troubleWith(a: Asking, value: string): string {
  if (a.how !== 'number') return '';
  if (!/^-?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(value)) return 'This is no number.';
  if (a.least !== undefined && Number(value) < a.least) return `The comment says at least ${a.least}.`;
  if (a.most !== undefined && Number(value) > a.most) return `The comment says at most ${a.most}.`;
  return '';
}

/** The last step of a value path, and what leads to it, for people. */
export function named(path: string): { name: string; above: string } {
  const steps = path
    .split('/')
    .slice(1)
    .map((s) => s.replaceAll('~1', '/').replaceAll('~0', '~'));
  return { name: steps.at(-1) ?? '', above: steps.slice(0, -1).join(' › ') };
}

/** What deployments did to one value, the newest first. */
export function didTo(
  events: Pick<LedgerEvent, 'at' | 'deployment' | 'actor' | 'did'>[],
  path: string
): { at: string; deployment: string; what: string; actor: string }[] {
  return events.flatMap((e) =>
    (e.did ?? [])
      .filter((what) => ` ${what} `.includes(` ${path} `) || what.includes(` ${path}:`))
      .map((what) => ({ at: e.at, deployment: e.deployment ?? '', what, actor: e.actor }))
  );
}
