import currencyCodes from 'currency-codes';

/** An amount in minor units of one currency: `{currency: 'EUR', minor: 12990}` is 129.90 euros. */
export interface Money {
  readonly currency: string;
  readonly minor: number;
}

const DIGITS = new Map(currencyCodes.data.map((currency) => [currency.code, currency.digits]));

/** Number of digits after the point by ISO 4217 (JPY 0, EUR 2, KWD 3), or null for an unknown code. */
export function currencyDigits(code: string): number | null {
  return DIGITS.get(code) ?? null;
}

/** The digits of those currencies that have not two. */
export const OTHER_DIGITS: { readonly [currency: string]: number } = Object.fromEntries([...DIGITS].filter(([, digits]) => digits !== 2));

/** True for a currency code of ISO 4217, in capitals. */
export function isCurrency(code: string): boolean {
  return currencyDigits(code) !== null;
}

/** The largest amount, in minor units, that a single order or cart may have; sums of a million of these stay exact. */
export const LARGEST_MINOR = 1_000_000_000;

/**
 * Turns an amount as shops send it (a JSON number in major units, 129.9) into minor units, rounding half away
 * from zero on the decimal digits as written, so 1.005 in EUR is 101. Throws RangeError on an unknown currency.
 */
export function toMinor(major: number, currency: string): number {
  const digits = currencyDigits(currency);
  if (digits === null) throw new RangeError(`unknown currency ${currency}`);
  // shifting the exponent in text avoids the binary error of major * 10 ** digits
  const [mantissa, exponent = '0'] = String(Math.abs(major)).split('e');
  const shifted = Number(`${mantissa}e${Number(exponent) + digits}`);
  const minor = Math.round(shifted);
  return minor === 0 ? 0 : Math.sign(major) * minor;
}

/** The amount in major units, for comparing with what an event carried and for number fields. */
export function toMajor(money: Money): number {
  return money.minor / 10 ** (currencyDigits(money.currency) ?? 2);
}

/** Prints an amount in the reader's language: €129.90. */
export function sayMoney(money: Money, locale = 'en-IE'): string {
  return formatterOf(money.currency, locale).format(toMajor(money));
}

// making a formatter costs a thousand times what using it does
const formatters = new Map<string, Intl.NumberFormat>();

function formatterOf(currency: string, locale: string): Intl.NumberFormat {
  const id = `${locale} ${currency}`;
  let formatter = formatters.get(id);
  if (!formatter) {
    const digits = currencyDigits(currency) ?? 2;
    formatter = new Intl.NumberFormat(locale, {
      style: 'currency',
      currency,
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
    });
    formatters.set(id, formatter);
  }
  return formatter;
}

/**
 * Splits a whole number of minor units in proportion to weights, by largest remainder: the parts always sum to
 * the whole, ties go to the earlier part. Weights must be finite, not negative, and not all zero.
 */
export function allocate(total: number, weights: readonly number[]): number[] {
  const sum = weights.reduce((a, b) => a + b, 0);
  if (!(sum > 0) || weights.some((w) => w < 0 || !Number.isFinite(w))) throw new RangeError('weights must be positive');
  const exact = weights.map((w) => (total * w) / sum);
  const parts = exact.map((x) => Math.trunc(x));
  let rest = total - parts.reduce((a, b) => a + b, 0);
  const step = Math.sign(rest);
  const order = exact
    .map((x, index) => ({ index, remainder: Math.abs(x - Math.trunc(x)) }))
    .sort((a, b) => b.remainder - a.remainder || a.index - b.index);
  for (let i = 0; rest !== 0; i = (i + 1) % order.length, rest -= step) parts[order[i]!.index]! += step;
  return parts;
}
