// How one value goes back to what it was at another time.
import type { NewDraft, ValueTurn } from '../api/client';

type Wish = NonNullable<NewDraft['tweaks']>[number];

/** The tweak that makes a value what it was; one that was not there goes. */
export function valueBack(path: string, v: ValueTurn, from: string): Wish {
  const note = `as it was ${from}`;
  if (v.new) return { path, note, tweak: { do: 'drop', at: v.at } };
  return { path, note, tweak: { do: 'set', at: v.at, value: v.was, make: v.gone } };
}
