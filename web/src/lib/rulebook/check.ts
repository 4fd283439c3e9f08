// What a check of a rulebook says, line by line, each with where it is.

export interface Said {
  what: string;
  line?: number;
}

/** The lines of what a check says; each that names a place has its line. */
export function linesOf(detail: string): Said[] {
  return detail
    .split('\n')
    .filter((l) => l.trim())
    .map((l) => {
      const at = /\bline (\d+)|^(\d+):\d+/.exec(l);
      return { what: l.trim(), line: at ? Number(at[1] ?? at[2]) : undefined };
    });
}
