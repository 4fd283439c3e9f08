// How often something that goes on is told to who hears the page instead of seeing it.

/** Milliseconds between two things that are said. */
export const breath = 5000;

/**
 * Gives a function that takes what is so now, and says it: the first at once, then at most once in a
 * breath, always the newest, and nothing twice. end stops it.
 */
export function teller(say: (words: string) => void): { take(words: string): void; end(): void } {
  let last = '';
  let next: string | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const speak = (words: string) => {
    last = words;
    say(words);
    timer = setTimeout(() => {
      timer = undefined;
      const held = next;
      next = undefined;
      if (held !== undefined && held !== last) speak(held);
    }, breath);
  };
  return {
    take(words) {
      if (timer !== undefined) next = words;
      else if (words !== last) speak(words);
    },
    end: () => clearTimeout(timer)
  };
}
