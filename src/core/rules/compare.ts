import * as z from 'zod';
import { dayNumber } from '../time';
import { propertyName, scalar, type Value } from './value';

/** One comparison of a value with what the rule asks for. `known` and `unknown` take no value. */
export const comparisonShape = {
  op: z.enum([
    'is',
    'isNot',
    'oneOf',
    'noneOf',
    'contains',
    'startsWith',
    'atLeast',
    'above',
    'atMost',
    'below',
    'between',
    'onOrAfter',
    'onOrBefore',
    'known',
    'unknown',
  ]),
  value: z.union([scalar, z.array(scalar).max(500)]).optional(),
};
/** A text that says a day, alone or before a time of day. */
const DAY_FIRST = /^\d{4}-\d{2}-\d{2}([T ]|$)/;
const NUMERIC_OPS = new Set(['atLeast', 'above', 'atMost', 'below']);

const isRange = (value: unknown): boolean =>
  Array.isArray(value) && value.length === 2 && value.every((one) => typeof one === 'number') && value[0]! <= value[1]!;

export function checkComparison(test: { op: string; value?: unknown }, ctx: z.core.$RefinementCtx): void {
  const say = (message: string) => ctx.addIssue({ code: 'custom', message, path: ['value'] });
  if (NUMERIC_OPS.has(test.op) && typeof test.value !== 'number') say('must be a number');
  else if ((test.op === 'contains' || test.op === 'startsWith') && typeof test.value !== 'string') say('must be a text');
  else if ((test.op === 'oneOf' || test.op === 'noneOf') && !Array.isArray(test.value)) say('must be a list of values');
  else if ((test.op === 'onOrAfter' || test.op === 'onOrBefore') && !(typeof test.value === 'string' && dayNumber(test.value) !== null))
    say('must be a day such as 2026-11-24');
  else if (test.op === 'between' && !isRange(test.value)) say('must be two numbers, the smaller first');
  else if ((test.op === 'is' || test.op === 'isNot') && (test.value === undefined || Array.isArray(test.value))) say('must be one value');
}

export const propertyTest = z.strictObject({ property: propertyName, ...comparisonShape }).superRefine(checkComparison);
export type PropertyTest = z.infer<typeof propertyTest>;

/** Whether a list has an item for which all of these hold: any line of an order with this product, and at least this price. */
const itemTest = z.strictObject({ property: propertyName, any: z.array(propertyTest).min(1).max(20) });
/** What is asked of an event: of one of its properties, or of the items of one that is a list. */
export const whereTest = z.union([propertyTest, itemTest]);
export type WhereTest = z.infer<typeof whereTest>;
export type Comparison = { op: PropertyTest['op']; value?: PropertyTest['value'] };

/** True when a value is on file: neither missing nor null. */
export function isKnown(value: Value | undefined): value is Exclude<Value, null> {
  return value !== undefined && value !== null;
}

/**
 * Compares a value with what a rule asks. A value that is not known, or of another type than asked for, fails
 * every comparison except `isNot`, `noneOf` and `unknown`. Both ends of `between` are counted in. A list
 * contains what one of its entries is. Texts are compared as written, letter case included. A text says a day that is
 * written so, or the day that a moment is written with.
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
    case 'noneOf':
      return !isKnown(value) || !(test.value as unknown[]).some((one) => one === value);
    case 'contains':
      return typeof value === 'string'
        ? value.includes(test.value as string)
        : Array.isArray(value) && value.includes(test.value as string);
    case 'startsWith':
      return typeof value === 'string' && value.startsWith(test.value as string);
    case 'atLeast':
      return typeof value === 'number' && value >= (test.value as number);
    case 'above':
      return typeof value === 'number' && value > (test.value as number);
    case 'atMost':
      return typeof value === 'number' && value <= (test.value as number);
    case 'between': {
      const [least, most] = test.value as [number, number];
      return typeof value === 'number' && value >= least && value <= most;
    }
    case 'onOrAfter':
      return typeof value === 'string' && DAY_FIRST.test(value) && value.slice(0, 10) >= (test.value as string);
    case 'onOrBefore':
      return typeof value === 'string' && DAY_FIRST.test(value) && value.slice(0, 10) <= (test.value as string);
    case 'below':
      return typeof value === 'number' && value < (test.value as number);
  }
}
