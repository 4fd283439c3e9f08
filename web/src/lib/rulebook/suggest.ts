// What may be written where the cursor stands in a rulebook, by the schema of the language.

export interface Schema {
  $ref?: string;
  $defs?: Record<string, Schema>;
  type?: string | string[];
  properties?: Record<string, Schema>;
  additionalProperties?: boolean | Schema;
  items?: Schema;
  enum?: unknown[];
  const?: unknown;
  description?: string;
  required?: string[];
  anyOf?: Schema[];
  oneOf?: Schema[];
  allOf?: Schema[];
}

export interface Suggestion {
  /** What is put in the place of what was typed from `from` on. */
  text: string;
  about?: string;
  kind: 'key' | 'value';
  must?: boolean;
}

/** Every schema that a place may follow: references and alternatives taken apart. */
function open(root: Schema, s: Schema | undefined, deep = 0): Schema[] {
  if (!s || deep > 12) return [];
  if (s.$ref) return open(root, root.$defs?.[s.$ref.replace('#/$defs/', '')], deep + 1);
  return [
    s,
    ...[...(s.anyOf ?? []), ...(s.oneOf ?? []), ...(s.allOf ?? [])].flatMap((x) => open(root, x, deep + 1))
  ];
}

/** The schemas below a key, or of an element where the key is undefined. */
function step(root: Schema, all: Schema[], key: string | undefined): Schema[] {
  return all.flatMap((s) => {
    if (key === undefined) return open(root, s.items);
    const named = s.properties?.[key];
    if (named) return open(root, named);
    return typeof s.additionalProperties === 'object' ? open(root, s.additionalProperties) : [];
  });
}

const parts = /^(\s*)((?:- +)*)(?:([A-Za-z0-9_-]+)(:)(?: |$))?(.*)$/;

/** The keys that lead to a place: undefined for an element of a list. Only the block form is read. */
export function pathAt(before: string): {
  path: (string | undefined)[];
  key?: string;
  typed: string;
  used: string[];
} {
  const lines = before.split('\n');
  const [, space = '', dashes = '', key, , rest = ''] = parts.exec(lines.pop() ?? '') ?? [];
  let indent = space.length + dashes.length;
  const path: (string | undefined)[] = [];
  const used: string[] = [];
  // An element that begins on this very line.
  let dash = dashes ? space.length : -1;
  for (const line of lines.toReversed()) {
    if (/^\s*(#.*)?$/.test(line)) continue;
    const [, s = '', d = '', k] = parts.exec(line) ?? [];
    const at = s.length + d.length;
    if (dash < 0 && at === indent && k) used.push(k); // a brother
    if (dash < 0 && at === indent && d) {
      path.unshift(undefined); // the element that this is in began there
      indent = s.length;
      dash = s.length;
      continue;
    }
    if (k && at < (dash >= 0 ? dash + 1 : indent) && !(dash >= 0 && d && s.length === dash)) {
      if (dash >= 0 && dashes && path.length === 0) path.unshift(undefined);
      path.unshift(k);
      indent = at;
      dash = -1;
      if (d) {
        path.unshift(undefined);
        dash = s.length;
        indent = s.length;
      }
    }
  }
  if (dashes && !path.includes(undefined) && path.length === 0) path.unshift(undefined);
  return { path, key, typed: rest.trimStart(), used };
}

/** What may stand at the end of a text, and how many characters of it that replaces. */
export function suggest(root: Schema, before: string): { all: Suggestion[]; replaces: number } {
  const { path, key, typed, used } = pathAt(before);
  let here = open(root, root);
  for (const p of path) here = step(root, here, p);
  if (key !== undefined) {
    const values = step(root, here, key).flatMap((s) => s.enum ?? (s.const === undefined ? [] : [s.const]));
    const yes = step(root, here, key).some((s) => s.type === 'boolean') ? [true, false] : [];
    return {
      all: [...new Set([...values, ...yes].map(String))].map((text) => ({ text, kind: 'value' as const })),
      replaces: typed.length
    };
  }
  const seen = new Map<string, Suggestion>();
  for (const s of here) {
    for (const [name, of] of Object.entries(s.properties ?? {})) {
      if (used.includes(name) || seen.has(name)) continue;
      const about = of.description ?? open(root, of).find((x) => x.description)?.description;
      seen.set(name, { text: name, about, kind: 'key', must: s.required?.includes(name) });
    }
    for (const value of s.enum ?? []) seen.set(String(value), { text: String(value), kind: 'value' });
  }
  return { all: [...seen.values()], replaces: typed.length };
}
