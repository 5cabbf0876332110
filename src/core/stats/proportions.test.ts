import { describe, expect, it } from 'vitest';
import { lotOf } from './lot';
import { differenceInterval, highest, reachOf, shareInterval } from '.';

describe('the interval of a share', () => {
  // published: Newcombe 1998, Statistics in Medicine 17:857–872, table I, method 3
  it.each([
    [81, 263, 0.2553, 0.3662],
    [15, 148, 0.0624, 0.1605],
    [0, 20, 0, 0.1611],
    [1, 29, 0.0061, 0.1718],
  ])('%i of %i', (count, of, low, high) => {
    const found = shareInterval({ count, of });
    expect(found.low).toBeCloseTo(low, 4);
    expect(found.high).toBeCloseTo(high, 4);
  });

  it('of nobody says nothing, and of all reaches to one', () => {
    expect(shareInterval({ count: 0, of: 0 })).toEqual({ low: 0, high: 1 });
    expect(shareInterval({ count: 7, of: 7 }).high).toBe(1);
  });
});

describe('the interval of a difference', () => {
  it('is the hybrid score interval', () => {
    // published: Newcombe 1998, Statistics in Medicine 17:873–890, table II, method 10
    const found = differenceInterval({ count: 56, of: 70 }, { count: 48, of: 80 });
    expect(found.low).toBeCloseTo(0.0524, 4);
    expect(found.high).toBeCloseTo(0.3339, 4);
    // the other way round it is the same, turned
    const turned = differenceInterval({ count: 48, of: 80 }, { count: 56, of: 70 });
    expect([turned.low, turned.high]).toEqual([-found.high, -found.low].map((one) => expect.closeTo(one, 12) as number));
  });

  it('reaches as far as the tables of the normal distribution say', () => {
    // handbook tables of the standard normal: 1.95996 (5 %), 2.57583 (1 %)
    expect(reachOf(0.05)).toBeCloseTo(1.959964, 6);
    expect(reachOf(0.01)).toBeCloseTo(2.575829, 6);
  });
});

describe('the highest of several shares', () => {
  it('is named where it is surely above every other, and only then', () => {
    expect(
      highest([
        { count: 56, of: 70 },
        { count: 48, of: 80 },
      ]),
    ).toBe(0);
    expect(
      highest([
        { count: 48, of: 80 },
        { count: 56, of: 70 },
      ]),
    ).toBe(1);
    expect(
      highest([
        { count: 50, of: 100 },
        { count: 55, of: 100 },
      ]),
    ).toBeNull();
    expect(highest([{ count: 50, of: 100 }])).toBeNull();
    // above one of the two others only
    expect(
      highest([
        { count: 300, of: 1000 },
        { count: 290, of: 1000 },
        { count: 100, of: 1000 },
      ]),
    ).toBeNull();
    expect(
      highest([
        { count: 400, of: 1000 },
        { count: 290, of: 1000 },
        { count: 100, of: 1000 },
      ]),
    ).toBe(0);
  });

  it('calls no more than its stated share of tests different in which nothing differs', () => {
    const drawn = (test: number, arm: number) => {
      let count = 0;
      for (let n = 0; n < 200; n++) if (lotOf({ flow: `t${test}`, personId: String(n), stepId: `a${arm}`, key: null }) < 0.2) count += 1;
      return { count, of: 200 };
    };
    const runs = 1000;
    let called = 0;
    for (let test = 0; test < runs; test++) if (highest([drawn(test, 1), drawn(test, 2), drawn(test, 3)]) !== null) called += 1;
    // 5 %, with what chance makes of a thousand
    expect(called / runs).toBeLessThan(0.05 + 3 * Math.sqrt((0.05 * 0.95) / runs));
  });
});
