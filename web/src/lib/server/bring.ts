// What is asked for when a server is to become like another in some things.
import type { NewDraft, Promotion } from '../api/client';

type Value = Promotion['values'][number];

export const valueKey = (v: Pick<Value, 'path' | 'value'>): string => `${v.path}:${v.value}`;

export interface Chosen {
  /** Names of add-ons that come, or come in another version. */
  addons: string[];
  /** Keys of values that go along. */
  values: string[];
  /** Names of add-ons that go. */
  remove: string[];
}

export function askFor(p: Promotion, c: Chosen): NewDraft {
  const coming = p.addons.filter((a) => c.addons.includes(a.name));
  return {
    crates: coming.map((a) => a.crate),
    remove: c.remove,
    enable: p.enable ?? [],
    disable: p.disable ?? [],
    tweaks: p.values
      .filter((v) => c.values.includes(valueKey(v)))
      .map((v) => ({
        path: v.path,
        note: `as on ${p.from}`,
        tweak: { do: 'set' as const, at: v.value, value: v.from }
      }))
  };
}
