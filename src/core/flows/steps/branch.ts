import * as z from 'zod';
import { partsOf, type Rule, type Seen, type Test } from '../../rules';
import type { Arm } from '../document';
import { name, stepId } from '../parts';
import type { StepKind } from './kind';

export interface BranchStep {
  id: string;
  kind: 'branch';
  name: string;
  arms: Arm[];
}
export const branchSchema = (arm: z.ZodType<Arm>) =>
  z.strictObject({ id: stepId, kind: z.literal('branch'), name, arms: z.array(arm).min(2, 'needs at least two arms').max(12) });

/** Picks the first arm whose condition holds; the last arm takes everyone else. */
export const branchKind: StepKind<BranchStep> = {
  run(step, here) {
    const seen: Seen[] = [];
    for (const arm of step.arms) {
      if (arm.when !== null) seen.push(here.look(arm.when));
      if (arm.when !== null && !seen.at(-1)!.holds) continue;
      here.note('decided', { armId: arm.id, saw: { arms: seen } });
      return { to: 'arm', arm };
    }
    throw new Error(`branch ${step.id} has no arm for everyone else`);
  },
  fresh: (id) => ({
    id,
    kind: 'branch',
    name: 'New branch',
    arms: [
      { id: `${id}-a`, name: 'Those who', when: { all: [] }, steps: [] },
      { id: `${id}-b`, name: 'Everyone else', when: null, steps: [] },
    ],
  }),
  says: (step) => `Branch “${step.name}”`,
  saysNext: (step) => `Branch “${step.name}”`,
  arms: (step) => step.arms,
  withArms: (step, arms) => ({ ...step, arms: [...arms] }),
  rules: (step) => step.arms.map((arm) => arm.when),
  problems: ({ arms }) =>
    arms.flatMap(({ when, share }, index) => {
      const isLast = index === arms.length - 1;
      if (share !== undefined) return [{ path: ['arms', index, 'share'], message: 'only the arms of a test have shares' }];
      if (isLast === (when === null)) return [];
      return [
        {
          path: ['arms', index, 'when'],
          message: isLast
            ? 'the last arm takes everyone else, so its condition must be null'
            : 'only the last arm can be without a condition',
        },
      ];
    }),
  check(step, add) {
    const names = new Set(step.arms.map((arm) => arm.name));
    if (names.size < step.arms.length)
      add(
        'same-name',
        'warns',
        `Two arms of “${step.name}” have the same name`,
        'Give each arm its own name, so that results can be told apart.',
      );
    for (const arm of step.arms)
      if (arm.when && isContradiction(arm.when))
        add('no-one-fits', 'stops', `Nobody can take “${arm.name}”`, 'Its two amounts exclude each other; correct one of them.');
  },
  differs: (was, is) => (is.name === was.name ? [] : [`Branch “${was.name}” is now called “${is.name}”`]),
};

/** True for an "all of" that asks one trigger property to be at least more than it may at most be. */
function isContradiction(rule: Rule): boolean {
  const parts = partsOf(rule);
  if (!parts || !('all' in rule)) return false;
  const bounds = new Map<string, { low: number; high: number }>();
  for (const part of parts) {
    const test = part as Test;
    if (partsOf(part) || test.test !== 'trigger' || typeof test.value !== 'number') continue;
    const bound = bounds.get(test.property) ?? { low: -Infinity, high: Infinity };
    if (test.op === 'atLeast' || test.op === 'above') bound.low = Math.max(bound.low, test.value);
    if (test.op === 'atMost' || test.op === 'below') bound.high = Math.min(bound.high, test.value);
    bounds.set(test.property, bound);
  }
  return [...bounds.values()].some((bound) => bound.low > bound.high);
}
