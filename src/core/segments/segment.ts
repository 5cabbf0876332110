import * as z from 'zod';
import { kindOfTest, ruleSchema, testsOf, type Rule, type Test } from '../rules';

/** A segment, `viatic.segment/1`: who is in it is decided by a rule, at every moment. */
export const segmentSchema = z.strictObject({
  schema: z.literal('viatic.segment/1'),
  name: z.string().trim().min(1, 'must not be empty').max(80),
  about: z.string().trim().max(500).default(''),
  rule: ruleSchema,
  tags: z.array(z.string().trim().min(1).max(40)).max(20).default([]),
  owner: z.string().trim().max(80).nullable().default(null),
});
export type SegmentDocument = z.infer<typeof segmentSchema>;

/** The segments that a rule asks for, by key. */
export const segmentsIn = (rule: Rule): string[] => [
  ...new Set(testsOf(rule).flatMap((test) => (test.test === 'segment' ? [test.segment] : []))),
];

/**
 * A way from a segment back to itself, should it have this rule: the keys on it, itself first and last; or null when there
 * is none. `others` are the rules of all other segments.
 */
export function circleOf(key: string, rule: Rule, others: ReadonlyMap<string, Rule>): string[] | null {
  const seen = new Set<string>();
  const walk = (one: Rule, way: readonly string[]): string[] | null => {
    for (const next of segmentsIn(one)) {
      if (next === key) return [...way, key];
      if (seen.has(next)) continue;
      seen.add(next);
      const other = others.get(next);
      const found = other && walk(other, [...way, next]);
      if (found) return found;
    }
    return null;
  };
  return walk(rule, [key]);
}

/** Segments in an order in which each comes after all that its rule asks for. Those that are not there are passed over. */
export function inOrderOfNeed<T extends { readonly key: string; readonly rule: Rule }>(segments: readonly T[]): T[] {
  const byKey = new Map(segments.map((one) => [one.key, one]));
  const done = new Set<string>();
  const ordered: T[] = [];
  const visit = (one: T): void => {
    if (done.has(one.key)) return;
    done.add(one.key);
    for (const next of segmentsIn(one.rule)) {
      const other = byKey.get(next);
      if (other) visit(other);
    }
    ordered.push(one);
  };
  for (const one of segments) visit(one);
  return ordered;
}

/** Whether an answer to a rule can change with time alone: when something leaves a window, a pause ends, or a moment comes. */
export const turnsWithTime = (rule: Rule): boolean => testsOf(rule).some((test) => kindOfTest(test).turns?.(test));

/** Whether a rule, in the place where everybody is looked at, asks for what is only known inside a flow. */
export const isOnlyForFlows = (rule: Rule): boolean => testsOf(rule).some((test) => kindOfTest(test).isForFlows?.(test));

/** Segments whose rule has a test of some kind, as places where what it asks for is used. */
export const segmentUses = (segments: readonly { key: string; document: SegmentDocument }[], asks: (test: Test) => boolean) =>
  segments
    .filter(({ document }) => testsOf(document.rule).some(asks))
    .map(({ key, document }) => ({ kind: 'segment' as const, key, name: document.name, where: 'rule' }));
