import quantile from '@stdlib/stats-base-dists-normal-quantile';

/** So many of so many. */
export interface Share {
  readonly of: number;
  readonly count: number;
}
export interface Interval {
  readonly low: number;
  readonly high: number;
}

/** How many standard deviations an interval reaches to either side that leaves out so much in all: 1.96 for 0.05. */
export const reachOf = (leftOut: number): number => quantile(1 - leftOut / 2, 0, 1);

/** The score interval of a share (Wilson 1927), as in Newcombe 1998, Statistics in Medicine 17:857–872, method 3. Of nobody nothing is known. */
export function shareInterval({ count, of }: Share, leftOut = 0.05): Interval {
  if (of === 0) return { low: 0, high: 1 };
  const z = reachOf(leftOut);
  const p = count / of;
  const middle = 2 * of * p + z * z;
  const reach = z * Math.sqrt(z * z + 4 * of * p * (1 - p));
  const scale = 2 * (of + z * z);
  return { low: count === 0 ? 0 : (middle - reach) / scale, high: count === of ? 1 : (middle + reach) / scale };
}

/**
 * The interval of the difference between two shares, the first less the second, from their score intervals (Newcombe 1998,
 * Statistics in Medicine 17:873–890, method 10).
 */
export function differenceInterval(a: Share, b: Share, leftOut = 0.05): Interval {
  if (a.of === 0 || b.of === 0) return { low: -1, high: 1 };
  const [one, two] = [shareInterval(a, leftOut), shareInterval(b, leftOut)];
  const [p, q] = [a.count / a.of, b.count / b.of];
  return {
    low: p - q - Math.hypot(p - one.low, two.high - q),
    high: p - q + Math.hypot(one.high - p, q - two.low),
  };
}
