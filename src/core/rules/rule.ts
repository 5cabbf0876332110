import * as z from 'zod';
import { whereTest } from './compare';
import { testSchema, type Test } from './tests';

/**
 * A condition: a tree of tests under all of, any of, none of. An empty `all` or `none` holds, an empty `any` does not. A group
 * can bear a name, by which it is spoken of.
 */
export type Rule = Test | Group;
export type Group = ({ all: Rule[] } | { any: Rule[] } | { none: Rule[] }) & { named?: string | undefined };

const DEEPEST = 8;
function depthOf(rule: Rule): number {
  const parts = partsOf(rule);
  return parts ? 1 + Math.max(0, ...parts.map(depthOf)) : 1;
}

const MOST_TESTS = 500;
/** All tests of a rule, in its groups too. */
export function testsOf(rule: Rule): Test[] {
  const parts = partsOf(rule);
  return parts ? parts.flatMap(testsOf) : [rule as Test];
}

/** How many tests a rule has, in all its groups. */
export function testsIn(rule: Rule): number {
  const parts = partsOf(rule);
  return parts ? parts.reduce((sum, part) => sum + testsIn(part), 0) : 1;
}

const named = z.string().trim().min(1, 'must not be empty').max(60).optional();
const parts = z.lazy(() => z.array(looseRule).max(50));
const looseRule: z.ZodType<Rule> = z.lazy(() =>
  z.union([
    testSchema,
    z.strictObject({ all: parts, named }),
    z.strictObject({ any: parts, named }),
    z.strictObject({ none: parts, named }),
  ]),
);
export const ruleSchema: z.ZodType<Rule> = looseRule
  .refine((rule) => depthOf(rule) <= DEEPEST, {
    message: `is nested deeper than ${DEEPEST} levels`,
    params: { right: 'a flatter rule' },
  })
  .refine((rule) => testsIn(rule) <= MOST_TESTS, {
    message: `has more than ${MOST_TESTS} tests`,
    params: { right: 'fewer tests; a list of values is one test (“is one of”)' },
  });
export const propertyTestsSchema = z.array(whereTest).max(20);

/** The name of a group, where it has one. */
export const nameOfGroup = (rule: Rule): string | undefined => ('test' in rule ? undefined : rule.named);

/** The parts of a group, or null for a single test. */
export function partsOf(rule: Rule): Rule[] | null {
  if ('all' in rule) return rule.all;
  if ('any' in rule) return rule.any;
  if ('none' in rule) return rule.none;
  return null;
}
