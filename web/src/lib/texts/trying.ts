// Steps between the values that are tried.

export interface Try {
  value: string;
  note: string;
  lines: string[];
}

const plain = (n: number): string => String(Number(n.toPrecision(10)));

/** A step up or down: whole numbers by one, others by their last place. */
export function stepped(value: string, up: boolean): string {
  const n = Number(value);
  if (!Number.isFinite(n) || value.trim() === '') return value;
  const places = /\.(\d+)$/.exec(value)?.[1]?.length ?? 0;
  const by = 10 ** -places;
  return (up ? n + by : n - by).toFixed(places);
}

/** The middle of the last two values that were tried; nothing where that says nothing. */
export function between(first: string, tries: Try[]): string | undefined {
  const last = tries.at(-1)?.value;
  const before = tries.at(-2)?.value ?? first;
  if (last === undefined || last === before) return undefined;
  const [a, b] = [Number(last), Number(before)];
  return Number.isFinite(a) && Number.isFinite(b) ? plain((a + b) / 2) : undefined;
}
