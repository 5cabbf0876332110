import type { Comparison, Value } from './rule';

/** True when a value is on file: neither missing nor null. */
export function isKnown(value: Value | undefined): value is Exclude<Value, null> {
  return value !== undefined && value !== null;
}

/**
 * Compares a value with what a rule asks. A value that is not known, or of another type than asked for, fails
 * every comparison except `isNot` and `unknown`. Texts are compared as written, letter case included.
 */
export function compare(value: Value | undefined, test: Comparison): boolean {
  switch (test.op) {
    case 'known':
      return isKnown(value);
    case 'unknown':
      return !isKnown(value);
    case 'is':
      return isKnown(value) && value === test.value;
    case 'isNot':
      return !isKnown(value) || value !== test.value;
    case 'oneOf':
      return isKnown(value) && Array.isArray(test.value) && test.value.some((one) => one === value);
    case 'contains':
      return typeof value === 'string' && value.includes(test.value as string);
    case 'atLeast':
      return typeof value === 'number' && value >= (test.value as number);
    case 'above':
      return typeof value === 'number' && value > (test.value as number);
    case 'atMost':
      return typeof value === 'number' && value <= (test.value as number);
    case 'below':
      return typeof value === 'number' && value < (test.value as number);
  }
}
