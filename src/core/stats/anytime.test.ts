import { describe, expect, it } from 'vitest';
import { testVerdict } from '../revenue';
import { chanceOfBetter, isSure, meanDifference, meanEvidence, shareDifference, shareEvidence } from './anytime';
import { differenceInterval } from './proportions';
import { sampleOf } from './tests';

/**
 * A/A simulations: in tests without a difference, looked at every 25 people, at most 5 of 100 verdicts may be false. The full size takes
 * minutes: set VIATIC_SIMULATIONS to the number of tests (2,000 for what docs/performance.md states).
 */
const TESTS = Number(process.env.VIATIC_SIMULATIONS ?? 150);
const PEOPLE = 5_000;
const EVERY = 25;
/** What chance makes of a true 5% in so many tests: three standard deviations (binomial distribution). */
const MOST = 0.05 + 3 * Math.sqrt((0.05 * 0.95) / TESTS);

/** Even numbers from 0 to 1 with a fixed seed (mulberry32). */
function randomWith(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/** The share of tests with a verdict, looked at every 25 people; `lift` is added to the rate of the first group. */
function verdicts(part: number, rate: number, lift: number): { always: number; once: number } {
  const random = randomWith(part * 1e6 + rate * 1e4);
  let [always, once] = [0, 0];
  for (let test = 0; test < TESTS; test++) {
    const [a, b] = [
      { count: 0, of: 0 },
      { count: 0, of: 0 },
    ];
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
  return { always: always / TESTS, once: once / TESTS };
}

describe('tests without a difference, looked at every 25 people', () => {
  const cases = [0.5, 0.2, 0.1, 0.05].flatMap((part) => [0.005, 0.02, 0.1, 0.3].map((rate) => ({ part, rate })));
  it.each(cases)('have a false verdict in at most 5 of 100: $part of people in one group, a rate of $rate', ({ part, rate }) => {
    expect(verdicts(part, rate, 0).always).toBeLessThanOrEqual(MOST);
  });

  it.each(
    [0.95, 0.5, 0.1, 0.05].flatMap((part) => [
      { part, rate: 0.1, spread: 1 },
      { part, rate: 0.3, spread: 1.5 },
    ]),
  )(
    'so does revenue per person, as skewed as it is: $part in one group, $rate buy, log-normal with σ $spread',
    ({ part, rate, spread }) => {
      const random = randomWith(part * 1e6 + rate * 1e4 + spread);
      const amount = () => 5_000 * Math.exp(spread * Math.sqrt(-2 * Math.log(random() || 1e-12)) * Math.cos(2 * Math.PI * random()));
      let found = 0;
      for (let test = 0; test < TESTS; test++) {
        const groups = [0, 1].map(() => ({ n: 0, y: 0, yy: 0, buyers: 0 })) as [Sums, Sums];
        let isFound = false;
        for (let person = 1; person <= PEOPLE; person++) {
          const group = groups[random() < part ? 0 : 1];
          group.n += 1;
          if (random() < rate) {
            const y = amount();
            group.y += y;
            group.yy += y * y;
            group.buyers += 1;
          }
          if (person % EVERY || isFound) continue;
          const [a, b] = groups;
          const expected = (Math.min(a.n, b.n) * (a.buyers + b.buyers)) / person;
          if (Math.min(a.n, b.n) < 50 || expected < 25) continue;
          isFound = isSure(meanEvidence(sampleOf(a.n, a.y, a.yy), sampleOf(b.n, b.y, b.yy)));
        }
        if (isFound) found += 1;
      }
      expect(found / TESTS).toBeLessThanOrEqual(MOST);
    },
  );
  interface Sums {
    n: number;
    y: number;
    yy: number;
    buyers: number;
  }
});

describe('power at the planned size', () => {
  // a difference of 2.80 standard errors is seen in 80 of 100 tests that are looked at once (1.960 + 0.842, tables of the normal distribution)
  it.each([
    { part: 0.5, rate: 0.1 },
    { part: 0.5, rate: 0.3 },
    { part: 0.1, rate: 0.1 },
  ])('is over two thirds of that of one look, though looked at 200 times: $part of people, a rate of $rate', ({ part, rate }) => {
    const lift = 2.8016 * Math.sqrt((rate * (1 - rate) * (1 / part + 1 / (1 - part))) / PEOPLE);
    const { always, once } = verdicts(part, rate, lift);
    expect(always / once).toBeGreaterThan(0.67);
  });
});

describe('what the evidence says', () => {
  it('is the same, whichever way it is put: sure exactly if the interval leaves out zero and the chance is over 97.6%', () => {
    const random = randomWith(7);
    for (let n = 0; n < 200; n++) {
      const [of, other] = [50 + Math.floor(random() * 3_000), 50 + Math.floor(random() * 3_000)];
      const [a, b] = [
        { of, count: Math.floor(random() * 0.2 * of) },
        { of: other, count: Math.floor(random() * 0.2 * other) },
      ];
      const evidence = shareEvidence(a, b);
      const { low, high } = shareDifference(a, b);
      expect(low > 0 || high < 0).toBe(isSure(evidence));
      const chance = chanceOfBetter(evidence);
      expect(chance + chanceOfBetter(shareEvidence(b, a))).toBeCloseTo(1, 9);
      if (isSure(evidence)) expect(Math.max(chance, 1 - chance)).toBeGreaterThan(0.95);
      else expect(Math.max(chance, 1 - chance)).toBeLessThan(0.977);
    }
  });

  it('calls 0 of 50 against 12 of 450 no difference (Fisher’s exact test: p = 0.62)', () => {
    expect(isSure(shareEvidence({ count: 0, of: 50 }, { count: 12, of: 450 }))).toBe(false);
    expect(testVerdict([arm('a', 50, 0, 1), arm('b', 450, 12, 9)]).ahead).toBeNull();
  });

  it('leaves room where nobody did anything: 0 of 60 against 0 of 60 may differ by 5 points (rule of three: 3/60)', () => {
    const { low, high } = shareDifference({ count: 0, of: 60 }, { count: 0, of: 60 });
    expect(high).toBeGreaterThan(0.05);
    expect(high).toBeLessThan(0.25);
    expect(low).toBeCloseTo(-high, 6);
  });

  it('finds a difference that is there', () => {
    expect(shareDifference({ count: 1_200, of: 8_000 }, { count: 960, of: 8_000 }).low).toBeGreaterThan(0.01);
    expect(meanDifference(sampleOf(8_000, 8_000_000, 1.2e11), sampleOf(8_000, 6_400_000, 1.0e11)).low).toBeGreaterThan(0);
    expect(meanDifference(sampleOf(1, 5, 25), sampleOf(8_000, 0, 0))).toEqual({ low: -Infinity, high: Infinity });
  });

  const arm = (id: string, people: number, goals: number, share: number) => ({ id, name: id, share, people, goals });
});
