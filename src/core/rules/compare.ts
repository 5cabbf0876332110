import { z } from 'zod';
import { propertyName, scalar, type Value } from './value';

/** One comparison of a value with what the rule asks for. `known` and `unknown` take no value. */
export const comparisonShape = {
  op: z.enum(['is', 'isNot', 'atLeast', 'above', 'atMost', 'below', 'contains', 'oneOf', 'known', 'unknown']),
  value: z.union([scalar, z.array(scalar).max(500)]).optional(),
};
const NUMERIC_OPS = new Set(['atLeast', 'above', 'atMost', 'below']);

export function checkComparison(test: { op: string; value?: unknown }, ctx: z.core.$RefinementCtx): void {
  const say = (message: string) => ctx.addIssue({ code: 'custom', message, path: ['value'] });
  if (NUMERIC_OPS.has(test.op) && typeof test.value !== 'number') say('must be a number');
  else if (test.op === 'contains' && typeof test.value !== 'string') say('must be a text');
  else if (test.op === 'oneOf' && !Array.isArray(test.value)) say('must be a list of values');
  else if ((test.op === 'is' || test.op === 'isNot') && (test.value === undefined || Array.isArray(test.value))) say('must be one value');
}

export const propertyTest = z.strictObject({ property: propertyName, ...comparisonShape }).superRefine(checkComparison);
export type PropertyTest = z.infer<typeof propertyTest>;
export type Comparison = { op: PropertyTest['op']; value?: PropertyTest['value'] };

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
