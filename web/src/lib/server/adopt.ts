// What there is to decide about an add-on that lies on a server and was not deployed.
import type { AddonFound } from '../api/client';

/** Whether it can be taken in without anybody choosing: it is there once, and the server finds it. */
export function sure(f: AddonFound): boolean {
  return !f.deep && !f.beside?.length && f.from !== 'its name alone';
}

const few = (all: string[], n = 5) =>
  all.length <= n ? all.join(', ') : `${all.slice(0, n).join(', ')} and ${all.length - n} more`;

/** Where else an add-on lies, of which so many are there in all, and what to do about it. */
function others(beside: string[], copies: number): string {
  const at = beside.slice(0, 5);
  const more = copies - 1 - at.length;
  const where = more > 0 ? `${at.join(', ')} and at ${more} more paths` : at.join(' and ');
  return `The same add-on lies at ${where} too. Take one of them in, and take the other${copies > 2 ? 's' : ''} off the server.`;
}

/** What a person has to decide or to know, a line each. */
export function remarks(f: AddonFound): string[] {
  const out: string[] = [];
  if (f.deep)
    out.push(
      `Its marker is ${f.deep}, a folder too deep: the server does not find it there. Move it up, or deploy it and take this one off the server.`
    );
  if (f.beside?.length) out.push(others(f.beside, f.copies ?? f.beside.length + 1));
  if (f.crate && !f.missing?.length && !f.differs?.length) out.push(`As ${f.crate}, which is staged.`);
  if (f.missing?.length) out.push(`${f.crate} brings what is not there: ${few(f.missing)}`);
  if (f.differs?.length) out.push(`Of another length than ${f.crate} brings: ${few(f.differs)}`);
  if (f.from === 'its name alone')
    out.push('The rulebook makes no add-on of it, so it cannot be taken in; only its name looks like one.');
  return out;
}
