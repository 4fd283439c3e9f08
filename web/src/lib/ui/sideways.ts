/** Keeps the current place in sight, in a strip of places that is scrolled sideways where it is wider
 * than the screen. Nothing else is scrolled. */
export const inSight = (current: boolean) => (place: HTMLElement) => {
  const strip = place.parentElement;
  if (!current || !strip) return;
  const [at, all] = [place.getBoundingClientRect(), strip.getBoundingClientRect()];
  strip.scrollLeft += at.left + at.width / 2 - (all.left + all.width / 2);
};
