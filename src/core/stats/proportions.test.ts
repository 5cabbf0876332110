import { describe, expect, it } from 'vitest';
import { differenceInterval, reachOf, shareInterval } from '.';

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
