// How fast a run goes on, and how long it will take at that pace.

interface Moment {
  at: number; // milliseconds
  sent: number; // bytes
  done: number; // motions
}

const window = 10_000; // milliseconds over which a pace is measured
const least = 2_000; // milliseconds that must have been seen

/** The pace of the last seconds. */
export class Pace {
  #seen: Moment[] = [];
  #phase: string | undefined;

  /** Takes what a run told. A new phase has a pace of its own. */
  take(at: number, phase: string | undefined, sent: number, done: number): void {
    if (phase !== this.#phase) [this.#phase, this.#seen] = [phase, []];
    this.#seen.push({ at, sent, done });
    while (this.#seen.length > 2 && this.#seen[0]!.at < at - window) this.#seen.shift();
  }

  /** Bytes a second; undefined while too little was seen or nothing is sent. */
  get rate(): number | undefined {
    return this.#per((m) => m.sent);
  }

  /**
   * Seconds that are left. Sending is measured by bytes, of which so many are still to
   * come; everything else by motions.
   */
  left(bytes: number, motions: number): number | undefined {
    const rate = this.rate;
    if (this.#phase === 'prepare' && bytes > 0 && rate) return bytes / rate;
    const pace = this.#per((m) => m.done);
    return pace && motions > 0 ? motions / pace : undefined;
  }

  #per(of: (m: Moment) => number): number | undefined {
    const first = this.#seen[0];
    const last = this.#seen.at(-1);
    if (!first || !last || last.at - first.at < least) return undefined;
    return ((of(last) - of(first)) * 1000) / (last.at - first.at) || undefined;
  }
}

/** About how long that is, as people say it. */
export function about(seconds: number): string {
  if (seconds < 10) return 'a few seconds';
  if (seconds < 90) return `about ${Math.round(seconds / 10) * 10} s`;
  if (seconds < 90 * 60) return `about ${Math.round(seconds / 60)} min`;
  return `about ${Math.round(seconds / 3600)} h`;
}
