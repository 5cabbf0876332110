import { z } from 'zod';
import { NAME } from '../text';
import { durationProblem } from '../time';
import { CHANNELS } from './channel';

/** What an attribute or an event property can hold. */
export type Value = string | number | boolean | null | readonly Value[] | { readonly [name: string]: Value };

const scalar = z.union([z.string().max(500), z.number(), z.boolean()]);

export const durationSchema = z
  .string()
  .max(40)
  .superRefine((text, ctx) => {
    const problem = durationProblem(text);
    if (problem) ctx.addIssue({ code: 'custom', message: problem });
  });

const propertyName = z.string().regex(NAME, 'is not a property name; use letters, digits, _ . and -');
export const eventTypeSchema = z
  .string()
  .max(80)
  .regex(/^[a-z][a-z0-9_]*(\.[a-z0-9_]+)+$/, 'is not an event type; write subject.verb in lower case, for example cart.updated');

/** One comparison of a value with what the rule asks for. `known` and `unknown` take no value. */
const comparisonShape = {
  op: z.enum(['is', 'isNot', 'atLeast', 'above', 'atMost', 'below', 'contains', 'oneOf', 'known', 'unknown']),
  value: z.union([scalar, z.array(scalar).max(500)]).optional(),
};
const NUMERIC_OPS = new Set(['atLeast', 'above', 'atMost', 'below']);

function checkComparison(test: { op: string; value?: unknown }, ctx: z.core.$RefinementCtx): void {
  const say = (message: string) => ctx.addIssue({ code: 'custom', message, path: ['value'] });
  if (NUMERIC_OPS.has(test.op) && typeof test.value !== 'number') say('must be a number');
  else if (test.op === 'contains' && typeof test.value !== 'string') say('must be a text');
  else if (test.op === 'oneOf' && !Array.isArray(test.value)) say('must be a list of values');
  else if ((test.op === 'is' || test.op === 'isNot') && (test.value === undefined || Array.isArray(test.value))) say('must be one value');
}

const propertyTest = z.strictObject({ property: propertyName, ...comparisonShape }).superRefine(checkComparison);
export type PropertyTest = z.infer<typeof propertyTest>;

/** Since when an event counts: ever, since the person entered this flow, or within a duration before now. */
const sinceSchema = z.union([z.literal('ever'), z.literal('entry'), z.strictObject({ last: durationSchema })]);

const attributeTest = z.strictObject({ test: z.literal('attribute'), name: propertyName, ...comparisonShape }).superRefine(checkComparison);
const triggerTest = z.strictObject({ test: z.literal('trigger'), property: propertyName, ...comparisonShape }).superRefine(checkComparison);
const consentTest = z.strictObject({ test: z.literal('consent'), channel: z.enum(CHANNELS), reachable: z.boolean() });
const listTest = z.strictObject({ test: z.literal('list'), list: z.string().min(1).max(60), member: z.boolean() });
const tagTest = z.strictObject({ test: z.literal('tag'), tag: z.string().min(1).max(60), has: z.boolean() });
const eventTest = z.strictObject({
  test: z.enum(['did', 'didNot']),
  event: eventTypeSchema,
  /** at least so many times; `didNot` holds below that number */
  times: z.int().min(1).max(10_000).optional(),
  where: z.array(propertyTest).max(20).optional(),
  since: sinceSchema,
});

const testSchema = z.union([attributeTest, triggerTest, consentTest, listTest, tagTest, eventTest]);
export type Test = z.infer<typeof testSchema>;
export type Comparison = { op: PropertyTest['op']; value?: PropertyTest['value'] };

/** A condition: a tree of tests under all of, any of, none of. An empty `all` or `none` holds, an empty `any` does not. */
export type Rule = Test | { all: Rule[] } | { any: Rule[] } | { none: Rule[] };

const DEEPEST = 8;
function depthOf(rule: Rule): number {
  const parts = partsOf(rule);
  return parts ? 1 + Math.max(0, ...parts.map(depthOf)) : 1;
}

const looseRule: z.ZodType<Rule> = z.lazy(() =>
  z.union([
    testSchema,
    z.strictObject({ all: z.array(looseRule).max(50) }),
    z.strictObject({ any: z.array(looseRule).max(50) }),
    z.strictObject({ none: z.array(looseRule).max(50) }),
  ]),
);
export const ruleSchema: z.ZodType<Rule> = looseRule.refine((rule) => depthOf(rule) <= DEEPEST, {
  message: `is nested deeper than ${DEEPEST} levels`,
});
export const propertyTestsSchema = z.array(propertyTest).max(20);

/** The parts of a group, or null for a single test. */
export function partsOf(rule: Rule): Rule[] | null {
  if ('all' in rule) return rule.all;
  if ('any' in rule) return rule.any;
  if ('none' in rule) return rule.none;
  return null;
}
