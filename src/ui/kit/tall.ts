/** Browsers give up on elements of some ten million pixels; beyond that the scroll bar stands for more than it shows. */
export const TALLEST = 12_000_000;

/**
 * How the scroll bar of a list stands to the list, in pixels: `height` is that of the element, `at` the place in the list
 * when the bar is at `top`, `top` the other way round. They are the same until the list is taller than an element can be;
 * then the bar is a share of the whole, so that the last row is at its end however long the list is.
 */
export function barOf(full: number, view: number): { height: number; at: (top: number) => number; top: (at: number) => number } {
  const height = Math.min(full, TALLEST);
  if (full <= TALLEST) return { height, at: (top) => top, top: (at) => at };
  const [bar, list] = [Math.max(1, height - view), Math.max(1, full - view)];
  const share = (part: number) => Math.min(1, Math.max(0, part));
  return { height, at: (top) => share(top / bar) * list, top: (at) => share(at / list) * bar };
}
