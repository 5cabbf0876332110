import betaln from '@stdlib/math-base-special-betaln';
import type { Interval, Share } from './proportions';
import type { Sample } from './tests';

/**
 * Inference that holds at any time: however often a difference between two groups is looked at, and whenever one stops, a difference
 * that isn't there is called sure in at most 5 of 100 tests. It rests on e-values: likelihood ratios of fixed alternatives against no
 * difference, whose mixture is a test martingale, so that it ever reaches 1/α with probability α at most (Ville's inequality; Robbins
 * 1970; for 2×2 tables Turner, Ly & Grünwald 2024, "Generic E-variables for exact sequential k-sample tests"). From memory.
 *
 * An alternative moves the two groups apart and leaves the mean of both together as it is, which makes the likelihood ratio of shares
 * exact for any rate and for groups of any size: no variance is estimated in a small group. Most of the mixture's weight is on the
 * difference that a test of the planned size would see in four of five cases; the rest is spread over smaller and larger ones, from a quarter of it on.
 */

/** For and against the first group being better: each is a likelihood ratio against no difference, 1 where nothing is known. */
export interface Evidence {
  readonly better: number;
  readonly worse: number;
}

/** How many people in each of two equal groups a test is planned for if nothing else is said. */
export const USUAL_PLAN = 2_500;

/** A difference of so many standard errors is seen at the 5% level in 80 of 100 tests (1.960 + 0.842). */
const PLANNED_REACH = 2.8016;
/** How the mixture's weight is spread over multiples of the planned difference. */
const SCALES: readonly { readonly scale: number; readonly weight: number }[] = [
  { scale: 1, weight: 0.9 },
  ...[0.25, 0.5, 2, 4, 8, 16, 32, 64].map((scale) => ({ scale, weight: 0.1 / 8 })),
];
/** Beyond this nothing changes any more, and nothing overflows. */
const MOST_LOG = 600;

/** Mixes the likelihood ratios of differences of all planned sizes, to either side. */
function mix(planned: number, logRatio: (difference: number) => number): Evidence {
  let better = 0;
  let worse = 0;
  for (const { scale, weight } of SCALES) {
    better += weight * Math.exp(Math.min(MOST_LOG, logRatio(planned * scale)));
    worse += weight * Math.exp(Math.min(MOST_LOG, logRatio(-planned * scale)));
  }
  return { better, worse };
}

/** Whether there is a difference for sure, at the level `leftOut`. */
export const isSure = ({ better, worse }: Evidence, leftOut = 0.05): boolean => (better + worse) / 2 >= 1 / leftOut;

/**
 * How likely the first is better by what is known, where a difference and none were held equally likely before, and both directions:
 * over 97.6% exactly if that is sure at the 5% level, so that the two never contradict each other.
 */
export const chanceOfBetter = ({ better, worse }: Evidence): number => (better + 1) / (2 + better + worse);

/** The standard error of a difference between groups of a test of the planned size. */
const plannedError = (variance: number, part: number, people: number): number =>
  Math.sqrt((variance / (2 * people)) * (1 / part + 1 / (1 - part)));

const logLikelihood = ({ count, of }: Share, p: number): number =>
  (count ? count * Math.log(p) : 0) + (of - count ? (of - count) * Math.log1p(-p) : 0);

/** The most likely shares whose difference is `difference`: the root of the derivative of the likelihood, by bisection. */
function likeliest(a: Share, b: Share, difference: number): { p: number; q: number } {
  let low = Math.max(0, -difference);
  let high = Math.min(1, 1 - difference);
  const slope = (q: number): number => {
    const p = q + difference;
    const one = ({ count, of }: Share, share: number) =>
      (count ? count / Math.max(share, 1e-12) : 0) - (of - count ? (of - count) / Math.max(1 - share, 1e-12) : 0);
    return one(a, p) + one(b, q);
  };
  for (let step = 0; step < 50; step++) {
    const middle = (low + high) / 2;
    if (slope(middle) > 0) low = middle;
    else high = middle;
  }
  const q = (low + high) / 2;
  return { p: q + difference, q };
}

/** The weight of alternatives in which each share is any. */
const ANY_SHARES = 0.05;
const logAny = ({ count, of }: Share): number => betaln(count + 0.5, of - count + 0.5) - betaln(0.5, 0.5);

/** Alternatives stay this far inside of what is possible. */
const INSIDE = 0.98;

/**
 * Weighs what two shares tell of a difference other than `difference`, the first less the second.
 * @param people for how many people in each of two equal groups the test is planned
 */
export function shareEvidence(
  a: Share,
  b: Share,
  { people = USUAL_PLAN, difference = 0 }: { people?: number; difference?: number } = {},
): Evidence {
  if (!a.of || !b.of) return { better: 1, worse: 1 };
  const all = a.of + b.of;
  const part = a.of / all;
  const pooled = (a.count + b.count + 0.5) / (all + 1);
  const { p, q } = likeliest(a, b, difference);
  const none = logLikelihood(a, p) + logLikelihood(b, q);
  // shares like these are not possible with such a difference
  if (none === Number.NEGATIVE_INFINITY) return { better: Infinity, worse: Infinity };
  const planned = PLANNED_REACH * plannedError(pooled * (1 - pooled), part, people);
  const mixed = mix(planned, (shift) => {
    // as far apart as is asked for, and no farther than shares go
    const room = shift > 0 ? Math.min((1 - p) / (1 - part), q / part) : Math.min(p / (1 - part), (1 - q) / part);
    const by = Math.sign(shift) * Math.min(Math.abs(shift), INSIDE * room);
    return logLikelihood(a, p + (1 - part) * by) + logLikelihood(b, q - part * by) - none;
  });
  // any two shares at all, each by itself (Beta(1/2, 1/2)): what rules out differences that hardly anyone showed
  const any = 2 * ANY_SHARES * Math.exp(Math.min(MOST_LOG, logAny(a) + logAny(b) - none));
  const isBetter = a.count / a.of - b.count / b.of > difference;
  const rest = 1 - ANY_SHARES;
  return { better: rest * mixed.better + (isBetter ? any : 0), worse: rest * mixed.worse + (isBetter ? 0 : any) };
}

/**
 * The variance of the difference of two means: three quarters by the variance of both groups together, which doesn't collapse in a small
 * group, and one by that of each group, where it is larger: so heavy tails (a few large orders in a small group) are not taken for a difference.
 */
const errorOf = (a: Sample, b: Sample, single: number): number => {
  const together = single * (1 / a.n + 1 / b.n);
  return 0.75 * together + 0.25 * Math.max(together, a.variance / a.n + b.variance / b.n);
};

/** The variance of single people over both groups, if `off` of the difference of their means is chance. */
function varianceIf(a: Sample, b: Sample, off: number): number {
  const n = a.n + b.n;
  const within = a.variance * Math.max(0, a.n - 1) + b.variance * Math.max(0, b.n - 1);
  // if the difference is no other, what lies between the groups is chance as well
  return (within + ((a.n * b.n) / n) * off * off) / Math.max(1, n - 1);
}

/**
 * Weighs what two means tell of a difference other than `difference`. Both groups need some people whose
 * figure isn't zero: see `FEWEST_BUYERS`.
 */
export function meanEvidence(
  a: Sample,
  b: Sample,
  { people = USUAL_PLAN, difference = 0 }: { people?: number; difference?: number } = {},
): Evidence {
  const off = a.mean - b.mean - difference;
  const single = a.n < 2 || b.n < 2 ? 0 : varianceIf(a, b, off);
  if (single <= 0) return { better: 1, worse: 1 };
  const variance = errorOf(a, b, single);
  const planned = PLANNED_REACH * plannedError(single, a.n / (a.n + b.n), people);
  return mix(planned, (shift) => (shift * off - (shift * shift) / 2) / variance);
}

/** Turns a test round: all differences from `low` to `high` that it does not rule out, of which `at` is one. */
function notRuledOut(at: number, low: number, high: number, evidence: (difference: number) => Evidence, leftOut: number): Interval {
  const edge = (inside: number, outside: number): number => {
    if (!isSure(evidence(outside), leftOut)) return outside;
    for (let step = 0; step < 40; step++) {
      const middle = (inside + outside) / 2;
      if (isSure(evidence(middle), leftOut)) outside = middle;
      else inside = middle;
    }
    return inside;
  };
  return { low: edge(at, low), high: edge(at, high) };
}

/** Evidence at the 5% level takes a difference of about so many standard errors, near the planned size and at others (2.8 to 3.4). */
const REACH_UNTIL_SURE = 3;

/**
 * Estimates how many people the smaller group needs until a difference is sure.
 * @param variance of single people
 * @param ratio how large it is beside the larger group, from 0 to 1
 */
export const peopleUntilSure = (variance: number, difference: number, ratio: number): number =>
  difference === 0 ? Number.POSITIVE_INFINITY : Math.ceil((variance * (1 + ratio) * REACH_UNTIL_SURE ** 2) / difference ** 2 - 1e-9);

interface Options {
  readonly leftOut?: number;
  readonly people?: number;
}

/** The interval of the difference of two shares that holds at any time: it leaves out no difference exactly if that is sure. */
export function shareDifference(a: Share, b: Share, { leftOut = 0.05, people }: Options = {}): Interval {
  if (!a.of || !b.of) return { low: -1, high: 1 };
  const at = a.count / a.of - b.count / b.of;
  return notRuledOut(at, -1, 1, (difference) => shareEvidence(a, b, { difference, ...(people !== undefined && { people }) }), leftOut);
}

/** The interval of the difference of two means that holds at any time; without end where nothing is known of their variance. */
export function meanDifference(a: Sample, b: Sample, { leftOut = 0.05, people }: Options = {}): Interval {
  const at = a.mean - b.mean;
  const single = a.n < 2 || b.n < 2 ? 0 : varianceIf(a, b, at);
  if (single <= 0) return { low: Number.NEGATIVE_INFINITY, high: Number.POSITIVE_INFINITY };
  // far enough: so many standard errors are ruled out whatever the test was planned for
  const reach = 60 * Math.sqrt(errorOf(a, b, single)) + 64 * PLANNED_REACH * Math.sqrt(single / USUAL_PLAN);
  return notRuledOut(
    at,
    at - reach,
    at + reach,
    (difference) => meanEvidence(a, b, { difference, ...(people !== undefined && { people }) }),
    leftOut,
  );
}
