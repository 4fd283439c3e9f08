// How fast a long list goes by. Rows that are gone before anybody can read them are drawn as one line of
// text, and wholly as soon as the list goes slowly again.

/** Pixels in a millisecond, above which nobody reads: ten windows in a second and more. */
const tooFast = 9;
/** Below which somebody may. In between it stays as it was. */
const slow = 3;
/** Milliseconds without a scroll after which a list stands still. */
const still = 120;

export class Flight {
  /** Rows that come now go by before anybody can read them. */
  fast = false;
  /** Where it goes to. */
  down = true;
  #at = 0;
  #when = 0;
  #landing = new Set<() => void>();
  #timer: ReturnType<typeof setTimeout> | undefined;

  /** Takes where the list is now, in pixels, and when that is, in milliseconds. */
  moved(at: number, when: number) {
    const pace = Math.abs(at - this.#at) / Math.max(when - this.#when, 1);
    this.fast = pace > (this.fast ? slow : tooFast);
    this.down = at > this.#at;
    this.#at = at;
    this.#when = when;
    clearTimeout(this.#timer);
    if (this.fast) this.#timer = setTimeout(() => this.#land(), still);
    else this.#land();
  }

  /** Does something once the list goes slowly. The function that it gives takes that back. */
  landed(then: () => void): () => void {
    this.#landing.add(then);
    return () => void this.#landing.delete(then);
  }

  #land() {
    this.fast = false;
    const all = [...this.#landing];
    this.#landing.clear();
    for (const then of all) then();
  }

  end() {
    clearTimeout(this.#timer);
    this.#landing.clear();
  }
}
