import { DAY, HOUR, MINUTE, WEEK, type Instant } from './duration';

/** Lengths at which waits are commonly set, ascending; from the second week on in whole weeks or the numbers that people say. */
export const SENSIBLE: readonly number[] = [
  ...[0, 1, 5, 10, 15, 20, 30, 45].map((n) => n * MINUTE),
  ...[1, 1.5, 2, 3, 4, 5, 6, 8, 10, 12, 18, 23].map((n) => n * HOUR),
  ...[1, 1.5, 2, 3, 4, 5, 6, 7, 8, 9, 10, 12, 14, 16, 18, 21, 25, 28, 30, 35, 42, 45, 60, 75, 90, 120, 150, 180, 270, 365].map(
    (n) => n * DAY,
  ),
];

/** The sensible length next to one in milliseconds, where lengths are as far from each other as `place` puts them on a scale. */
export function snapped(ms: number, place: (ms: number) => number = (length) => length): number {
  let best = SENSIBLE[0]!;
  for (const one of SENSIBLE) if (Math.abs(place(one) - place(ms)) < Math.abs(place(best) - place(ms))) best = one;
  return best;
}

/** A length in milliseconds as an ISO 8601 duration in the largest unit that says it whole, to the minute: `P2D`, `PT90M`; weeks from two on. */
export function durationOf(ms: Instant): string {
  const minutes = Math.max(0, Math.round(ms / MINUTE));
  const whole = minutes * MINUTE;
  if (whole >= 2 * WEEK && whole % WEEK === 0) return `P${whole / WEEK}W`;
  if (whole > 0 && whole % DAY === 0) return `P${whole / DAY}D`;
  if (whole > 2 * DAY && whole % HOUR === 0) return `P${Math.floor(whole / DAY)}DT${(whole % DAY) / HOUR}H`;
  if (whole > 0 && whole % HOUR === 0) return `PT${whole / HOUR}H`;
  return `PT${minutes}M`;
}
