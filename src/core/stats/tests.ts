import chisquareCdf from '@stdlib/stats-base-dists-chisquare-cdf';
import quantile from '@stdlib/stats-base-dists-normal-quantile';
import type { Interval } from './proportions';

/** The mean of a figure over people, with what its variance is reckoned of. */
export interface Sample {
  readonly n: number;
  readonly mean: number;
  /** of single people: the sum of squared deviations divided by n − 1 */
  readonly variance: number;
}

/** A sample of a figure that is known by its sums. */
export function sampleOf(n: number, sum: number, squares: number): Sample {
  const mean = n ? sum / n : 0;
  return { n, mean, variance: n > 1 ? Math.max(0, (squares - n * mean * mean) / (n - 1)) : 0 };
}

/** The interval in which the mean of a figure lies that is looked at once (normal approximation); the mean itself of one person. */
export function meanInterval({ n, mean, variance }: Sample, leftOut = 0.05): Interval {
  const reach = n > 1 ? quantile(1 - leftOut / 2, 0, 1) * Math.sqrt(variance / n) : 0;
  return { low: mean - reach, high: mean + reach };
}

/** The first less the second, and the variance of that difference (unequal variances). */
export function differenceOf(a: Sample, b: Sample): { readonly difference: number; readonly variance: number } {
  return {
    difference: a.mean - b.mean,
    variance: a.n && b.n ? a.variance / a.n + b.variance / b.n : Number.POSITIVE_INFINITY,
  };
}

/**
 * How many people each of two arms needs so that a share that is `was` in one and `is` in the other is told apart so often: two-sided,
 * without correction for continuity (Fleiss, Statistical Methods for Rates and Proportions, 2nd edition, formula 3.14).
 */
export function peoplePerArm(was: number, is: number, { leftOut = 0.05, power = 0.8 }: { leftOut?: number; power?: number } = {}): number {
  if (was === is) return Number.POSITIVE_INFINITY;
  const [za, zb] = [quantile(1 - leftOut / 2, 0, 1), quantile(power, 0, 1)];
  const middle = (was + is) / 2;
  const root = za * Math.sqrt(2 * middle * (1 - middle)) + zb * Math.sqrt(was * (1 - was) + is * (1 - is));
  return Math.ceil((root / (is - was)) ** 2 - 1e-9);
}

/** The same for the mean of a figure of which single people have this variance, and the difference that is to be seen. */
export function peoplePerArmOfMean(
  variance: number,
  difference: number,
  { leftOut = 0.05, power = 0.8 }: { leftOut?: number; power?: number } = {},
): number {
  if (difference === 0) return Number.POSITIVE_INFINITY;
  return Math.ceil((2 * variance * (quantile(1 - leftOut / 2, 0, 1) + quantile(power, 0, 1)) ** 2) / difference ** 2 - 1e-9);
}

/** The least higher share that so many people per arm tell apart from `was` that often; null where even all would not. */
export function leastSeen(was: number, people: number, options: { leftOut?: number; power?: number } = {}): number | null {
  if (peoplePerArm(was, 1, options) > people) return null;
  let [low, high] = [was, 1];
  for (let n = 0; n < 60; n++) {
    const middle = (low + high) / 2;
    if (peoplePerArm(was, middle, options) > people) low = middle;
    else high = middle;
  }
  return high;
}

/**
 * How likely so uneven parts are, or more uneven ones, if everybody is drawn by the shares that were set (chi-square test of fit). Below
 * 0.001 something is wrong with the drawing or the counting (sample ratio mismatch: Fabijan et al. 2019, with that bound).
 */
export function chanceOfParts(counts: readonly number[], shares: readonly number[]): number {
  const all = counts.reduce((sum, one) => sum + one, 0);
  const whole = shares.reduce((sum, one) => sum + one, 0);
  if (!all || !whole) return 1;
  let chi = 0;
  let parts = 0;
  for (const [n, count] of counts.entries()) {
    const expected = (all * (shares[n] ?? 0)) / whole;
    if (expected === 0) {
      if (count) return 0;
      continue;
    }
    chi += (count - expected) ** 2 / expected;
    parts += 1;
  }
  return parts < 2 ? 1 : 1 - chisquareCdf(chi, parts - 1);
}

/** Sums over people of a figure y and of what was known of them before, x: what variance reduction is reckoned of. */
export interface PairedSums {
  readonly n: number;
  readonly y: number;
  readonly yy: number;
  readonly x: number;
  readonly xx: number;
  readonly xy: number;
}

/**
 * Two groups with the part of the figure taken out that what was known before explains (CUPED: Deng, Xu, Kohavi & Walker 2013). The
 * variance goes down by the square of the correlation: to 1 − ρ² of what it was. θ is reckoned over both groups together.
 */
export function adjusted(a: PairedSums, b: PairedSums): { readonly a: Sample; readonly b: Sample; readonly explained: number } {
  const n = a.n + b.n;
  const sum = (name: keyof PairedSums) => a[name] + b[name];
  // within the groups, so that a difference between them is not taken for what x explains
  const within = (name: 'xx' | 'xy' | 'yy', p: 'x' | 'y', q: 'x' | 'y') =>
    [a, b].reduce((all, one) => all + (one.n ? one[name] - (one[p] * one[q]) / one.n : 0), 0);
  const [xx, xy, yy] = [within('xx', 'x', 'x'), within('xy', 'x', 'y'), within('yy', 'y', 'y')];
  if (!n || xx <= 0 || yy <= 0) return { a: sampleOf(a.n, a.y, a.yy), b: sampleOf(b.n, b.y, b.yy), explained: 0 };
  const theta = xy / xx;
  const mean = sum('x') / n;
  const of = (one: PairedSums): Sample => {
    if (!one.n) return { n: 0, mean: 0, variance: 0 };
    const y = one.y / one.n - theta * (one.x / one.n - mean);
    const spread =
      one.yy -
      (one.y * one.y) / one.n -
      2 * theta * (one.xy - (one.x * one.y) / one.n) +
      theta * theta * (one.xx - (one.x * one.x) / one.n);
    return { n: one.n, mean: y, variance: one.n > 1 ? Math.max(0, spread) / (one.n - 1) : 0 };
  };
  return { a: of(a), b: of(b), explained: (xy * xy) / (xx * yy) };
}
