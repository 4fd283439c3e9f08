/** Keeps the current place in sight, in a strip of places that is scrolled sideways where it is wider
 * than the screen; also once the letters have come, which make it another width. Nothing else is
 * scrolled. */
export const inSight = (current: boolean) => (place: HTMLElement) => {
  const strip = place.parentElement;
  if (!current || !strip) return;
  const show = () => {
    const [at, all] = [place.getBoundingClientRect(), strip.getBoundingClientRect()];
    strip.scrollLeft += at.left + at.width / 2 - (all.left + all.width / 2);
  };
  const watch = new ResizeObserver(show); // it tells how wide they are now, and then of changes
  watch.observe(place);
  watch.observe(strip);
  return () => watch.disconnect();
};
