// What a person wants of a deployment, as the sheet has it: one version of each add-on, parts by
// choice, values, and how the server is treated. It survives a reload.
import type { Addon, Crate, NewDraft } from '../api/client';
import { newer } from './versions';

export interface Wish {
  /** By add-on: the crate's ref. */
  crates: Record<string, string>;
  pallets: string[];
  /** By "ADDON:PART": taken or left; what is not there stays as the server has it. */
  parts: Record<string, boolean>;
  /** Values that are changed, by name. */
  values: Record<string, string>;
  undo: 'no' | 'all' | 'each';
  data: 'rulebook' | 'all' | 'none';
  leave: boolean;
  restart: boolean;
  thorough: boolean;
  needs: boolean;
  /** The draft that it changes; it is given up once the new one is there. */
  instead?: number;
}

export const nothing = (): Wish => ({
  crates: {},
  pallets: [],
  parts: {},
  values: {},
  undo: 'no',
  data: 'rulebook',
  leave: false,
  restart: false,
  thorough: false,
  needs: false
});

/** The ask of a wish, for the service. */
export function askOf(w: Wish): NewDraft {
  const parts = Object.entries(w.parts);
  const ask: NewDraft = {
    crates: [...w.pallets, ...Object.values(w.crates)],
    with: [
      ...parts.filter(([, on]) => on).map(([p]) => p),
      ...Object.entries(w.values)
        .filter(([, v]) => v !== '')
        .map(([n, v]) => `${n}=${v}`)
    ],
    without: parts.filter(([, on]) => !on).map(([p]) => p)
  };
  if (w.undo === 'all') ask.orUndo = true;
  if (w.undo === 'each') ask.orUndoEach = true;
  if (w.data === 'all') ask.data = true;
  if (w.data === 'none') ask.noData = true;
  if (w.leave) ask.leave = true;
  if (w.restart) ask.restart = true;
  if (w.thorough) ask.thorough = true;
  if (w.needs) ask.takeNeeds = true;
  return ask;
}

/** The wish behind what was asked for, so that it can be changed. */
export function wishOf(ask: NewDraft, instead: number): Wish {
  const w: Wish = { ...nothing(), instead };
  for (const c of ask.crates ?? []) w.crates[c.split('@')[0]!] = c;
  for (const p of ask.with ?? []) {
    const at = p.indexOf('=');
    if (at > 0) w.values[p.slice(0, at)] = p.slice(at + 1);
    else w.parts[p] = true;
  }
  for (const p of ask.without ?? []) w.parts[p] = false;
  w.undo = ask.orUndoEach ? 'each' : ask.orUndo ? 'all' : 'no';
  w.data = ask.data ? 'all' : ask.noData ? 'none' : 'rulebook';
  w.leave = !!ask.leave;
  w.restart = !!ask.restart;
  w.thorough = !!ask.thorough;
  w.needs = !!ask.takeNeeds;
  return w;
}

/** Whether a ref, as a person or the service writes it, means a crate. */
export function names(ref: string | undefined, c: Pick<Crate, 'ref' | 'label' | 'digest'>): boolean {
  if (ref === undefined) return false;
  if ([c.ref, c.label, c.digest].includes(ref)) return true;
  const [label, digits] = ref.split('~');
  return label === c.label && digits !== undefined && c.digest.startsWith(digits);
}

/** What was chosen, in words for the head of a draft. */
export function chosenWords(ask: NewDraft): string[] {
  const out: string[] = [];
  if (ask.with?.length) out.push(`with ${ask.with.join(', ')}`);
  if (ask.without?.length) out.push(`without ${ask.without.join(', ')}`);
  if (ask.takeNeeds) out.push('what is needed comes along');
  if (ask.insteadOf?.length) out.push(`instead of ${ask.insteadOf.join(', ')}`);
  if (ask.renew?.length) out.push(`${ask.renew.join(', ')} made anew`);
  if (ask.leave) out.push('the server is left running');
  if (ask.restart) out.push('a restart where a reload would do');
  if (ask.data) out.push('every data folder copied first');
  if (ask.noData) out.push('no data folder copied');
  if (ask.orUndo) out.push('taken back where it does not load');
  if (ask.orUndoEach) out.push('what does not load goes back alone');
  if (ask.thorough) out.push('every byte read back');
  return out;
}

/** One add-on as the sheet offers it: its versions, the newest that fits first chosen. */
export interface Offer {
  name: string;
  crates: Crate[];
  /** What of it is on the server. */
  has?: Addon;
  /** The version that is ticked with one click. */
  first: Crate;
  isNewer: boolean;
  unfit?: string;
}

const unfitOf = (c: Crate, server: string) =>
  (c.fits ?? []).find((f) => f.server === server && f.state !== 'fits' && f.state !== 'unknown')?.why;

/** Add-ons that can be deployed to a server: what is newer than what is there first, then by name. */
export function offers(all: Crate[], addons: Addon[], server: string): Offer[] {
  const by = new Map<string, Crate[]>();
  for (const c of all) by.set(c.name, [...(by.get(c.name) ?? []), c]);
  const out = [...by].map(([name, crates]): Offer => {
    const sorted = crates.toSorted(
      (a, b) => newer(b.version, a.version) || b.stagedAt.localeCompare(a.stagedAt)
    );
    const has = addons.find((a) => a.name === name);
    // What is newer for a server the service has judged; of what is not there, no early build is
    // proposed where there is another.
    const fit = sorted.filter((c) => unfitOf(c, server) === undefined);
    const first =
      sorted.find((c) => c.version === has?.newer) ??
      sorted.find((c) => c.version === has?.version) ??
      fit.find((c) => !c.development) ??
      fit[0] ??
      sorted[0]!;
    return {
      name,
      crates: sorted,
      has,
      first,
      isNewer: !!has?.newer && first.version === has.newer,
      unfit: unfitOf(first, server)
    };
  });
  return out.toSorted((a, b) => Number(b.isNewer) - Number(a.isNewer) || a.name.localeCompare(b.name));
}
