import type { Instant } from './duration';

/** The earliest of several moments, null standing for never. */
export function earliest(moments: readonly (Instant | null)[]): Instant | null {
  let first: Instant | null = null;
  for (const moment of moments) first = sooner(first, moment);
  return first;
}

/** The sooner of two moments, null standing for never. */
export const sooner = (a: Instant | null, b: Instant | null): Instant | null => (a === null ? b : b === null || a < b ? a : b);
