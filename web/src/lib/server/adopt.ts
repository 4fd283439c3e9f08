// What there is to decide about an add-on that lies on a server and was not deployed.
import type { AddonFound } from '../api/client';

/** Whether it can be taken in without anybody choosing: it is there once, and the server finds it. */
export function sure(f: AddonFound): boolean {
  return !f.deep && !f.beside?.length && f.from !== 'its name alone';
}

const few = (all: string[], n = 5) =>
  all.length <= n ? all.join(', ') : `${all.slice(0, n).join(', ')} and ${all.length - n} more`;

/** What a person has to decide or to know, a line each. */
export function remarks(f: AddonFound): string[] {
  const out: string[] = [];
  if (f.deep)
    out.push(
      `Its marker is ${f.deep}, a folder too deep: the server does not find it there. Move it up, or deploy it and take this one off the server.`
    );
  if (f.beside?.length)
    out.push(
      `The same add-on lies at ${f.beside.join(' and ')} too. Take one of them in, and take the other off the server.`
    );
  if (f.crate && !f.missing?.length && !f.differs?.length) out.push(`As ${f.crate}, which is staged.`);
  if (f.missing?.length) out.push(`${f.crate} brings what is not there: ${few(f.missing)}`);
  if (f.differs?.length) out.push(`Of another length than ${f.crate} brings: ${few(f.differs)}`);
  if (f.from === 'its name alone')
    out.push('The rulebook makes no add-on of it, so it cannot be taken in; only its name looks like one.');
  return out;
}
