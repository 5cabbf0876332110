import { describe, expect, it } from 'vitest';
import { FEWEST, FEWEST_BUYERS, testVerdict } from '../revenue';
import { chanceOfBetter, isSure, meanDifference, shareDifference, shareEvidence } from './anytime';
import { plannedLift, randomWith, simulateMoney, simulateShares } from './testing/simulations';
import { sampleOf } from './tests';

/** A reduced number with a fixed seed. `npm run bench -- verdicts` simulates 1,000 of each; VIATIC_SIMULATIONS sets the number here. */
const TESTS = Number(process.env.VIATIC_SIMULATIONS ?? 150);

describe('tests without a difference, looked at every 25 people', () => {
  const cases = [0.5, 0.2, 0.1, 0.05].flatMap((part) => [0.005, 0.02, 0.1, 0.3].map((rate) => ({ part, rate })));
  it.each(cases)('have a false verdict in at most 5 of 100: $part of people in one group, a rate of $rate', (test) => {
    expect(simulateShares(TESTS, test).always).toBeLessThanOrEqual(0.05);
  });

  const skewed = [0.95, 0.5, 0.1, 0.05].flatMap((part) => [
    { part, rate: 0.1, spread: 1 },
    { part, rate: 0.3, spread: 1.5 },
  ]);
  it.each(skewed)('so does skewed revenue per person: $part in one group, $rate buy, log-normal with σ $spread', (test) => {
    const isEnough = (people: number, buyers: number) => people >= FEWEST && buyers >= FEWEST_BUYERS;
    expect(simulateMoney(TESTS, test, isEnough)).toBeLessThanOrEqual(0.05);
  });
});

describe('power at the planned size', () => {
  it.each([
    { part: 0.5, rate: 0.1 },
    { part: 0.5, rate: 0.3 },
    { part: 0.1, rate: 0.1 },
  ])('is over two thirds of that of one look, though looked at 200 times: $part of people, a rate of $rate', ({ part, rate }) => {
    const { always, once } = simulateShares(TESTS, { part, rate, lift: plannedLift(part, rate) });
    expect(always / once).toBeGreaterThan(0.67);
  });
});

describe('what the evidence says', () => {
  it('is the same in every form: sure exactly if the interval leaves out 0, and then with a chance of over 95%', () => {
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
