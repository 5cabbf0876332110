import betaln from '@stdlib/math-base-special-betaln';
import type { Interval, Share } from './proportions';
import type { Sample } from './tests';

/**
 * Inference that holds at any time: however often you look at a difference between two groups, and whenever you stop, a difference that
 * isn't there is called sure in at most 5 of 100 tests. It rests on e-values: likelihood ratios of fixed alternatives against no
 * difference. Their mixture is a test martingale, which ever reaches 1/α with a probability of at most α (Ville's inequality; Robbins
 * 1970; for 2×2 tables Turner, Ly & Grünwald 2024, "Generic E-variables for exact sequential k-sample tests"; from memory).
 *
 * An alternative moves the two groups apart and keeps the mean of both together. For shares the ratio is that of the binomial counts
 * themselves, so no variance is estimated in a small group. The common rate is the pooled one, which isn't fixed beforehand, so the
 * theorem alone doesn't cover it: simulations hold it to its 5% (anytime.test.ts). Most of the mixture's weight is on the difference
 * that a test of the planned size would find in four of five cases; the rest is spread over smaller and larger ones.
 */

/** The evidence that the first group is better, and that it is worse: likelihood ratios against no difference, 1 if nothing is known. */
export interface Evidence {
  readonly better: number;
  readonly worse: number;
}

/** The number of people in each of two equal groups that a test is planned for, unless another is set. */
export const USUAL_PLAN = 2_500;

/** In standard errors, the difference that a test at the 5% level finds in 80 of 100 cases (1.960 + 0.842). */
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

/** Whether there is a difference, at the level `leftOut`. */
export const isSure = ({ better, worse }: Evidence, leftOut = 0.05): boolean => (better + worse) / 2 >= 1 / leftOut;

/**
 * Computes the chance that the first group is better, from the same evidence as the verdict. The prior gives half its weight to no
 * difference and a quarter to each direction.
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

/** The weight of alternatives in which both shares may be anything. */
const ANY_SHARES = 0.05;
const logAny = ({ count, of }: Share): number => betaln(count + 0.5, of - count + 0.5) - betaln(0.5, 0.5);

/** Alternatives go only this far toward shares of 0 and 1. */
const INSIDE = 0.98;

interface Hypothesis {
  /** the number of people in each of two equal groups that the test is planned for */
  readonly people?: number | undefined;
  /** the difference that is tested against, the first less the second */
  readonly difference?: number;
}

/** Weighs the evidence of two shares against a difference, 0 unless another is given. */
export function shareEvidence(a: Share, b: Share, { people = USUAL_PLAN, difference = 0 }: Hypothesis = {}): Evidence {
  if (!a.of || !b.of) return { better: 1, worse: 1 };
  const all = a.of + b.of;
  const part = a.of / all;
  const pooled = (a.count + b.count + 0.5) / (all + 1);
  const { p, q } = likeliest(a, b, difference);
  const none = logLikelihood(a, p) + logLikelihood(b, q);
  // such a difference can't have led to these counts
  if (none === Number.NEGATIVE_INFINITY) return { better: Infinity, worse: Infinity };
  const planned = PLANNED_REACH * plannedError(pooled * (1 - pooled), part, people);
  const mixed = mix(planned, (shift) => {
    // no farther apart than shares can be
    const room = shift > 0 ? Math.min((1 - p) / (1 - part), q / part) : Math.min(p / (1 - part), (1 - q) / part);
    const by = Math.sign(shift) * Math.min(Math.abs(shift), INSIDE * room);
    return logLikelihood(a, p + (1 - part) * by) + logLikelihood(b, q - part * by) - none;
  });
  // both shares by themselves, each Beta(1/2, 1/2): rules out large differences where hardly anyone did anything
  const any = 2 * ANY_SHARES * Math.exp(Math.min(MOST_LOG, logAny(a) + logAny(b) - none));
  const isBetter = a.count / a.of - b.count / b.of > difference;
  const rest = 1 - ANY_SHARES;
  return { better: rest * mixed.better + (isBetter ? any : 0), worse: rest * mixed.worse + (isBetter ? 0 : any) };
}

/**
 * Computes the variance of the difference of two means: three quarters from the variance of both groups together, which doesn't
 * collapse in a small group, and a quarter from each group's own where that is larger, so that a few large orders in a small group
 * don't pass for a difference.
 */
const errorOf = (a: Sample, b: Sample, single: number): number => {
  const together = single * (1 / a.n + 1 / b.n);
  return 0.75 * together + 0.25 * Math.max(together, a.variance / a.n + b.variance / b.n);
};

/** Computes the variance between people over both groups, if `off` of the difference of their means is chance. */
export function commonVariance(a: Sample, b: Sample, off = 0): number {
  const n = a.n + b.n;
  const within = a.variance * Math.max(0, a.n - 1) + b.variance * Math.max(0, b.n - 1);
  return (within + ((a.n * b.n) / Math.max(1, n)) * off * off) / Math.max(1, n - 1);
}

/**
 * Weighs the evidence of two means against a difference, 0 unless another is given. It is valid once some people of both groups have a
 * figure other than zero: see `FEWEST_BUYERS`.
 */
export function meanEvidence(a: Sample, b: Sample, { people = USUAL_PLAN, difference = 0 }: Hypothesis = {}): Evidence {
  const off = a.mean - b.mean - difference;
  const single = a.n < 2 || b.n < 2 ? 0 : commonVariance(a, b, off);
  if (single <= 0) return { better: 1, worse: 1 };
  const variance = errorOf(a, b, single);
  const planned = PLANNED_REACH * plannedError(single, a.n / (a.n + b.n), people);
  return mix(planned, (shift) => (shift * off - (shift * shift) / 2) / variance);
}

/** Inverts a test: finds the differences between `low` and `high` that it doesn't rule out, `at` being one of them. */
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

/** In standard errors, the difference that evidence at the 5% level takes: 2.8 at the planned size, up to 3.4 at others. */
const REACH_UNTIL_SURE = 3;

/**
 * Estimates how many people the smaller group needs until a difference is sure.
 * @param variance between people
 * @param ratio the size of the smaller group over that of the larger
 */
export const peopleUntilSure = (variance: number, difference: number, ratio: number): number =>
  difference === 0 ? Number.POSITIVE_INFINITY : Math.ceil((variance * (1 + ratio) * REACH_UNTIL_SURE ** 2) / difference ** 2 - 1e-9);

interface Options extends Pick<Hypothesis, 'people'> {
  readonly leftOut?: number;
}

/** Computes the interval of the difference of two shares that holds at any time: it leaves out 0 exactly if the difference is sure. */
export function shareDifference(a: Share, b: Share, { leftOut = 0.05, people }: Options = {}): Interval {
  if (!a.of || !b.of) return { low: -1, high: 1 };
  const at = a.count / a.of - b.count / b.of;
  return notRuledOut(at, -1, 1, (difference) => shareEvidence(a, b, { people, difference }), leftOut);
}

/** Computes the interval of the difference of two means that holds at any time; infinite if nothing is known of their variance. */
export function meanDifference(a: Sample, b: Sample, { leftOut = 0.05, people }: Options = {}): Interval {
  const at = a.mean - b.mean;
  const single = a.n < 2 || b.n < 2 ? 0 : commonVariance(a, b, at);
  if (single <= 0) return { low: Number.NEGATIVE_INFINITY, high: Number.POSITIVE_INFINITY };
  // far enough out that every difference is ruled out, whatever the test was planned for
  const reach = 60 * Math.sqrt(errorOf(a, b, single)) + 64 * PLANNED_REACH * Math.sqrt(single / USUAL_PLAN);
  return notRuledOut(at, at - reach, at + reach, (difference) => meanEvidence(a, b, { people, difference }), leftOut);
}
