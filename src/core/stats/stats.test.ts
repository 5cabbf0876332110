import fc from 'fast-check';
import { sampleVariance, mean as meanOf, sampleCorrelation } from 'simple-statistics';
import { describe, expect, it } from 'vitest';
import {
  adjusted,
  chanceActive,
  chanceOfOrder,
  chanceOfParts,
  expectedOrders,
  expectedRepeats,
  expectedValue,
  fitBuying,
  fitValue,
  leastOf,
  leastSeen,
  logLikelihood,
  peoplePerArm,
  peoplePerArmOfMean,
  survivalAt,
  survivalCurve,
  timeUntil,
  type BuyingModel,
  type PairedSums,
} from '.';

describe('survival (Kaplan & Meier 1958)', () => {
  // weeks of remission under 6-MP; + is still in remission (Freireich et al. 1963)
  const weeks = '6 6 6 6+ 7 9+ 10 10+ 11+ 13 16 17+ 19+ 20+ 22 23 25+ 32+ 32+ 34+ 35+'.split(' ');
  const curve = survivalCurve(weeks.map((one) => ({ time: parseFloat(one), happened: !one.endsWith('+') })));

  it('is what is published of the 6-MP arm of Freireich 1963', () => {
    expect(curve.map(({ time, share }) => [time, Number(share.toFixed(3))])).toEqual([
      [6, 0.857],
      [7, 0.807],
      [10, 0.753],
      [13, 0.69],
      [16, 0.627],
      [22, 0.538],
      [23, 0.448],
    ]);
    expect(curve.map(({ atRisk }) => atRisk)).toEqual([21, 17, 15, 12, 11, 7, 6]);
  });

  it('has intervals that hold the share and stay within nothing and all (log-log: 0.620 to 0.952 at 6 weeks; worked by hand)', () => {
    for (const { share, low, high } of curve) {
      expect(low).toBeLessThan(share);
      expect(high).toBeGreaterThan(share);
    }
    expect([curve[0]!.low, curve[0]!.high].map((one) => Number(one.toFixed(3)))).toEqual([0.62, 0.952]);
    expect(survivalAt(curve, 5)).toBe(1);
    expect(survivalAt(curve, 9)).toBe(curve[1]!.share);
    expect(timeUntil(curve, 0.5)).toBe(23);
    expect(timeUntil(curve, 0.9)).toBeNull();
  });

  it('is the same of people who are counted together as of each of them', () => {
    const [happened, not] = [true, false].map((is) => weeks.filter((one) => one.endsWith('+') !== is).map(parseFloat));
    const counted = (times: number[], is: boolean) =>
      [...new Set(times)].map((time) => ({ time, happened: is, many: times.filter((one) => one === time).length }));
    expect(survivalCurve([...counted(happened!, true), ...counted(not!, false)])).toEqual(curve);
  });

  it('without anybody who left early is the plain share of those who are left', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 20 }), { minLength: 1, maxLength: 60 }), (times) => {
        for (const { time, share } of survivalCurve(times.map((one) => ({ time: one, happened: true }))))
          expect(share).toBeCloseTo(times.filter((one) => one > time).length / times.length, 10);
      }),
    );
  });
});

describe('repeat buying', () => {
  const model: BuyingModel = { r: 0.243, alpha: 4.414, a: 0.793, b: 2.426 };
  it('expects 1.226 orders in 39 weeks of who bought twice, last in week 30.43 of 38.86 (Fader, Hardie & Lee 2005)', () => {
    expect(expectedOrders(model, { repeats: 2, last: 30.43, seen: 38.86 }, 39)).toBeCloseTo(1.226, 3);
  });

  it('knows who has never come again as active, and others the less the longer they stay away', () => {
    expect(chanceActive(model, { repeats: 0, last: 0, seen: 38.86 })).toBe(1);
    const chances = [31, 35, 38.86, 60, 100].map((seen) => chanceActive(model, { repeats: 2, last: 30.43, seen }));
    expect([...chances].sort((x, y) => y - x)).toEqual(chances);
    // P(alive) of that customer (Fader, Hardie & Lee 2008; from memory: about 0.73)
    expect(chances[2]).toBeCloseTo(0.73, 1);
  });

  it('knows how likely an order is as the process itself has it: over rates and drop-outs weighed by what was seen', () => {
    const time = 39;
    for (const buyer of [
      { repeats: 2, last: 30.43, seen: 38.86 },
      { repeats: 0, last: 0, seen: 12 },
    ]) {
      // the likelihood of one person of rate l who drops out after an order with chance p (section 3 of the paper), on a grid
      let [all, orders] = [0, 0];
      // even steps of p to the power a and l to the power r, so that the poles at 0 are none
      for (let v = 0.0025; v < 1; v += 0.005)
        for (let u = 0.0005; u < 1.25; u += 0.001) {
          const [p, l] = [v ** (1 / model.a), u ** (1 / model.r)];
          const prior = Math.exp(-model.alpha * l) * (1 - p) ** (model.b - 1);
          const active = (1 - p) ** buyer.repeats * l ** buyer.repeats * Math.exp(-l * buyer.seen);
          const gone = buyer.repeats ? p * (1 - p) ** (buyer.repeats - 1) * l ** buyer.repeats * Math.exp(-l * buyer.last) : 0;
          all += prior * (active + gone);
          orders += prior * active * (1 - Math.exp(-l * time));
        }
      expect(chanceOfOrder(model, buyer, time)).toBeCloseTo(orders / all, 3);
    }
    expect(chanceOfOrder(model, { repeats: 2, last: 30.43, seen: 38.86 }, 0)).toBe(0);
  });

  it('of values expects 35.22 of somebody of whom nothing is known (Fader & Hardie 2013), and nears what somebody spends', () => {
    const value = { p: 6.25, q: 3.74, gamma: 15.44 };
    expect(expectedValue(value, 0, 0)).toBeCloseTo(35.22, 2);
    expect(expectedValue(value, 50, 80)).toBeGreaterThan(75);
    expect(expectedValue(value, 1, 80)).toBeLessThan(expectedValue(value, 5, 80));
  });

  it('fits the numbers by which people were made up to buy', () => {
    // a seeded generator: Park & Miller
    let seed = 7;
    const chance = () => (seed = (seed * 48_271) % 2_147_483_647) / 2_147_483_647;
    const gamma = (shape: number, rate: number): number => {
      // Marsaglia & Tsang 2000, with the boost for shapes below 1
      if (shape < 1) return gamma(shape + 1, rate) * chance() ** (1 / shape);
      const d = shape - 1 / 3;
      for (;;) {
        const x = Math.sqrt(-2 * Math.log(chance())) * Math.cos(2 * Math.PI * chance());
        const v = (1 + x / Math.sqrt(9 * d)) ** 3;
        if (v > 0 && Math.log(chance()) < 0.5 * x * x + d - d * v + d * Math.log(v)) return (d * v) / rate;
      }
    };
    const made: BuyingModel = { r: 0.8, alpha: 6, a: 1.2, b: 3 };
    const buyers = Array.from({ length: 4000 }, () => {
      const rate = gamma(made.r, made.alpha);
      const [one, two] = [gamma(made.a, 1), gamma(made.b, 1)];
      const stops = one / (one + two);
      const seen = 26 + 26 * chance();
      let [time, last, repeats] = [0, 0, 0];
      for (;;) {
        time += -Math.log(chance()) / rate;
        if (time > seen) break;
        [last, repeats] = [time, repeats + 1];
        if (chance() < stops) break;
      }
      return { repeats, last, seen };
    });
    const fitted = fitBuying(buyers)!;
    const miss = (one: BuyingModel) => -buyers.reduce((sum, buyer) => sum + logLikelihood(one, buyer), 0);
    expect(miss(fitted)).toBeLessThanOrEqual(miss(made) + 1);
    // and what it expects of everybody is what they did
    const average = buyers.reduce((sum, one) => sum + one.repeats, 0) / buyers.length;
    const expected = buyers.reduce((sum, one) => sum + expectedRepeats(fitted, one.seen), 0) / buyers.length;
    expect(expected).toBeGreaterThan(average * 0.95);
    expect(expected).toBeLessThan(average * 1.05);
    const spent = buyers.slice(0, 1500).map(({ repeats }) => {
      const rate = gamma(3.74, 15.44);
      const orders = repeats + 1;
      return { orders, mean: gamma(6.25 * orders, rate * orders) };
    });
    expect(expectedValue(fitValue(spent)!, 0, 0)).toBeCloseTo(35.22, -1);
    expect(fitBuying(buyers.map((one) => ({ ...one, repeats: 0, last: 0 })))).toBeNull();
  });

  it('finds where a function is least (Rosenbrock’s valley at 1, 1)', () => {
    const [x, y] = leastOf(([a, b]) => (1 - a!) ** 2 + 100 * (b! - a! * a!) ** 2, [-1.2, 1], { within: 1e-14 });
    expect(x).toBeCloseTo(1, 3);
    expect(y).toBeCloseTo(1, 3);
  });
});

describe('how many people a test needs', () => {
  it('is 3,841 in each arm to see 10 % become 12 % (Fleiss, without correction)', () => {
    expect(peoplePerArm(0.1, 0.12)).toBe(3841);
    expect(peoplePerArm(0.12, 0.1)).toBe(3841);
    expect(peoplePerArm(0.1, 0.1)).toBe(Number.POSITIVE_INFINITY);
    // about 16 σ² / δ² (van Belle, Statistical Rules of Thumb)
    expect(peoplePerArmOfMean(100, 2) / ((16 * 100) / 4)).toBeCloseTo(1, 1);
  });

  it('is the other way round what so many people can see', () => {
    expect(leastSeen(0.1, 3841)).toBeCloseTo(0.12, 4);
    expect(leastSeen(0.5, 3)).toBeNull();
  });
});

describe('variance that what was before explains (CUPED, Deng et al. 2013)', () => {
  const sums = (rows: readonly (readonly [number, number])[]): PairedSums =>
    rows.reduce(
      (all, [y, x]) => ({ n: all.n + 1, y: all.y + y, yy: all.yy + y * y, x: all.x + x, xx: all.xx + x * x, xy: all.xy + x * y }),
      { n: 0, y: 0, yy: 0, x: 0, xx: 0, xy: 0 },
    );
  it('leaves 1 − ρ² of it, against a library of statistics', () => {
    const xs = Array.from({ length: 400 }, (_, n) => (n * 7919) % 101);
    const ys = xs.map((x, n) => 3 * x + ((n * 104_729) % 97));
    const rho = sampleCorrelation(xs, ys);
    const one = sums(xs.map((x, n) => [ys[n]!, x] as const));
    const { a, explained } = adjusted(one, { n: 0, y: 0, yy: 0, x: 0, xx: 0, xy: 0 });
    expect(explained).toBeCloseTo(rho ** 2, 8);
    expect(a.variance).toBeCloseTo((1 - rho ** 2) * sampleVariance(ys), 4);
    expect(a.mean).toBeCloseTo(meanOf(ys), 6);
  });

  it('takes out what two groups differed by before, and without anything before leaves all as it is', () => {
    const before = [1, 5, 9, 3, 7, 2, 8, 4];
    const one = sums(before.map((x) => [10 * x + 5, x + 1] as const));
    const two = sums(before.map((x) => [10 * x, x] as const));
    const { a, b } = adjusted(one, two);
    // the first had one more before, which is worth ten: it is behind by five
    expect(a.mean - b.mean).toBeCloseTo(-5, 8);
    const plain = adjusted(
      sums([
        [1, 0],
        [2, 0],
      ]),
      sums([
        [3, 0],
        [4, 0],
      ]),
    );
    expect([plain.a.mean, plain.b.mean, plain.explained]).toEqual([1.5, 3.5, 0]);
  });
});

describe('uneven parts', () => {
  it('are likely where they are as they were drawn, and not where they are not (chi-square; 10 of 1 degree is p 0.0016, handbook tables)', () => {
    expect(chanceOfParts([500, 500], [1, 1])).toBe(1);
    // (n−e)²/e = 50² / 1000 × 2 … of 1,000 and 1,100 of 2,100: 100²/2100 = 4.76, p 0.029
    expect(chanceOfParts([1_000, 1_100], [1, 1])).toBeCloseTo(0.029, 3);
    expect(chanceOfParts([550, 450], [1, 1])).toBeCloseTo(0.0016, 4);
    expect(chanceOfParts([700, 300], [7, 3])).toBe(1);
    expect(chanceOfParts([10, 1], [1, 0])).toBe(0);
    expect(chanceOfParts([], [])).toBe(1);
  });
});
