import { isSure, meanEvidence, shareEvidence } from '../anytime';
import { differenceInterval } from '../proportions';
import { sampleOf } from '../tests';

/** Simulated tests of 5,000 people, each looked at every 25 people. */
const PEOPLE = 5_000;
const EVERY = 25;

/** Even random numbers from 0 to 1, always the same for a seed (mulberry32). */
export function randomWith(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/** The shares of simulated tests with a verdict: looked at all along, and once at the end (score interval). */
export interface Verdicts {
  readonly always: number;
  readonly once: number;
}

/**
 * Simulates tests of a share.
 * @param part the share of people in the first group
 * @param lift what is added to the rate of the first group
 */
export function simulateShares(tests: number, { part, rate, lift = 0 }: { part: number; rate: number; lift?: number }): Verdicts {
  const random = randomWith(part * 1e6 + rate * 1e4);
  let [always, once] = [0, 0];
  for (let test = 0; test < tests; test++) {
    const a = { count: 0, of: 0 };
    const b = { count: 0, of: 0 };
    let isFound = false;
    for (let person = 1; person <= PEOPLE; person++) {
      const isFirst = random() < part;
      const group = isFirst ? a : b;
      group.of += 1;
      if (random() < rate + (isFirst ? lift : 0)) group.count += 1;
      if (person % EVERY === 0 && !isFound) isFound = isSure(shareEvidence(a, b));
    }
    if (isFound) always += 1;
    const { low, high } = differenceInterval(a, b);
    if (low > 0 || high < 0) once += 1;
  }
  return { always: always / tests, once: once / tests };
}

/** The difference that one look at a test of this size finds in 80 of 100 cases: 2.80 standard errors (1.960 + 0.842). */
export const plannedLift = (part: number, rate: number): number =>
  2.8016 * Math.sqrt((rate * (1 - rate) * (1 / part + 1 / (1 - part))) / PEOPLE);

interface Sums {
  n: number;
  y: number;
  yy: number;
  buyers: number;
}

/**
 * Simulates tests of revenue per person without a difference. Returns the share of them with a verdict.
 * @param spread σ of the log-normal amounts
 * @param isEnough whether enough people and buyers are expected in the smaller group to give a verdict
 */
export function simulateMoney(
  tests: number,
  { part, rate, spread }: { part: number; rate: number; spread: number },
  isEnough: (people: number, buyers: number) => boolean,
): number {
  const random = randomWith(part * 1e6 + rate * 1e4 + spread);
  const amount = () => 5_000 * Math.exp(spread * Math.sqrt(-2 * Math.log(random() || 1e-12)) * Math.cos(2 * Math.PI * random()));
  const isFound = ([a, b]: readonly [Sums, Sums]): boolean => {
    const few = Math.min(a.n, b.n);
    if (!isEnough(few, (few * (a.buyers + b.buyers)) / (a.n + b.n))) return false;
    return isSure(meanEvidence(sampleOf(a.n, a.y, a.yy), sampleOf(b.n, b.y, b.yy)));
  };
  let found = 0;
  for (let test = 0; test < tests; test++) {
    const empty = (): Sums => ({ n: 0, y: 0, yy: 0, buyers: 0 });
    const groups: [Sums, Sums] = [empty(), empty()];
    for (let person = 1; person <= PEOPLE; person++) {
      const group = groups[random() < part ? 0 : 1];
      group.n += 1;
      if (random() < rate) {
        const y = amount();
        group.y += y;
        group.yy += y * y;
        group.buyers += 1;
      }
      if (person % EVERY === 0 && isFound(groups)) {
        found += 1;
        break;
      }
    }
  }
  return found / tests;
}
