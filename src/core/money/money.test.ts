import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { allocate, currencyDigits, isCurrency, sayMoney, toMajor, toMinor } from './money';

describe('money', () => {
  it('has the minor units of ISO 4217', () => {
    expect([currencyDigits('JPY'), currencyDigits('EUR'), currencyDigits('KWD')]).toEqual([0, 2, 3]);
    expect(isCurrency('ZZZ')).toBe(false);
    expect(isCurrency('eur')).toBe(false);
  });

  it('turns what shops send into minor units on the decimal digits, not on their binary neighbours', () => {
    expect(toMinor(129.9, 'EUR')).toBe(12990);
    expect(toMinor(1.005, 'EUR')).toBe(101); // 1.005 * 100 is 100.49999999999999 in binary
    expect(toMinor(59.900000000000006, 'EUR')).toBe(5990);
    expect(toMinor(1234, 'JPY')).toBe(1234);
    expect(toMinor(1.2345, 'KWD')).toBe(1235);
    expect(toMinor(-2.5, 'JPY')).toBe(-3);
    expect(toMinor(1e-7, 'EUR')).toBe(0);
    expect(() => toMinor(1, 'ZZZ')).toThrow(RangeError);
  });

  it('goes there and back for every amount of whole minor units', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -1e9, max: 1e9 }),
        fc.constantFrom('JPY', 'EUR', 'KWD'),
        (minor, currency) => toMinor(toMajor({ currency, minor }), currency) === minor,
      ),
    );
  });

  it('prints amounts with the digits of their currency', () => {
    expect(sayMoney({ currency: 'EUR', minor: 12990 })).toBe('€129.90');
    expect(sayMoney({ currency: 'JPY', minor: 12990 })).toBe('JP¥12,990');
  });

  it('splits by largest remainder: the parts sum to the whole and none is off by a unit or more', () => {
    expect(allocate(100, [1, 1, 1])).toEqual([34, 33, 33]);
    expect(allocate(5, [0, 1])).toEqual([0, 5]);
    // the greatest remainders get the rest, wherever they stand; of equal ones the earlier
    expect(allocate(10, [1, 1, 5])).toEqual([2, 1, 7]);
    expect(allocate(7, [0.1, 0.6, 0.3])).toEqual([1, 4, 2]);
    expect(allocate(-100, [1, 1, 1])).toEqual([-34, -33, -33]);
    expect(allocate(0, [3, 1])).toEqual([0, 0]);
    for (const weights of [[0, 0], [], [-1, 2], [1, Infinity], [NaN, 1], [2, -1]]) expect(() => allocate(10, weights)).toThrow(RangeError);
    expect(Object.is(toMinor(-0.001, 'EUR'), 0)).toBe(true);
    fc.assert(
      fc.property(
        fc.integer({ min: -1e9, max: 1e9 }),
        fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 1, maxLength: 12 }),
        (total, weights) => {
          fc.pre(weights.some((w) => w > 0));
          const parts = allocate(total, weights);
          const sum = weights.reduce((a, b) => a + b, 0);
          expect(parts.reduce((a, b) => a + b, 0)).toBe(total);
          parts.forEach((part, i) => expect(Math.abs(part - (total * weights[i]!) / sum)).toBeLessThan(1));
        },
      ),
    );
  });
});
