// A text that is acted on once a person has stopped typing for a moment.

/** Gives what of() gives, a moment after it last became another thing. For the component that is set up. */
export function later(of: () => string, moment = 180): { readonly now: string } {
  let now = $state(of());
  $effect(() => {
    const said = of();
    const timer = setTimeout(() => (now = said), moment); // milliseconds
    return () => clearTimeout(timer);
  });
  return {
    get now() {
      return now;
    }
  };
}
