import { z } from 'zod';
import { durationSchema, eventTypeSchema, propertyTestsSchema, ruleSchema, type PropertyTest, type Rule } from '../rules';
import { messageSchema, type Message } from '../messages';

const stepId = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'is not a step id; use a-z, 0-9 and -');
const name = z.string().trim().min(1, 'must not be empty').max(80);

export interface WaitStep { id: string; kind: 'wait'; for: string }
export interface SendStep { id: string; kind: 'send'; name: string; off?: boolean; message: Message }
export interface Arm { id: string; name: string; when: Rule | null; steps: Step[] }
export interface BranchStep { id: string; kind: 'branch'; name: string; arms: Arm[] }
export interface EndStep { id: string; kind: 'end' }
export type Step = WaitStep | SendStep | BranchStep | EndStep;

const positiveDuration = durationSchema.refine((text) => !/^P(T?0+[A-Z])+$/.test(text), 'must be longer than no time');

const stepSchema: z.ZodType<Step> = z.lazy(() =>
  z.discriminatedUnion('kind', [
    z.strictObject({ id: stepId, kind: z.literal('wait'), for: positiveDuration }),
    z.strictObject({ id: stepId, kind: z.literal('send'), name, off: z.boolean().optional(), message: messageSchema }),
    z.strictObject({ id: stepId, kind: z.literal('branch'), name, arms: z.array(armSchema).min(2, 'needs at least two arms').max(12) }),
    z.strictObject({ id: stepId, kind: z.literal('end') }),
  ]),
);
const armSchema: z.ZodType<Arm> = z.lazy(() =>
  z.strictObject({ id: stepId, name, when: ruleSchema.nullable(), steps: z.array(stepSchema).max(100) }),
);

const propertyKey = z.string().regex(/^[\p{L}_][\p{L}\p{N}_]{0,59}$/u, 'is not a property name');

/**
 * What starts a flow. `event`: at once. `silence`: the event, then no more of it for `after`, matched by the
 * property `key`, and no event `unless` with the same key. An `unless` event that does not carry the key counts
 * against every key from its moment on, since it cannot be told apart.
 */
const triggerSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('event'), event: eventTypeSchema, key: propertyKey.nullable(), where: propertyTestsSchema.optional() }),
  z.strictObject({
    kind: z.literal('silence'),
    event: eventTypeSchema,
    key: propertyKey.nullable(),
    after: positiveDuration,
    where: propertyTestsSchema.optional(),
    unless: z.strictObject({ event: eventTypeSchema }).nullable(),
  }),
]);
export type Trigger = z.infer<typeof triggerSchema>;
export type { PropertyTest };

const goalSchema = z.strictObject({
  event: eventTypeSchema,
  where: propertyTestsSchema.optional(),
  within: positiveDuration,
  /** whether reaching the goal ends the run */
  ends: z.boolean(),
});
export type Goal = z.infer<typeof goalSchema>;

/** How often the same person may start: once per trigger key (cart, order), once ever, or every time. */
const reentrySchema = z.enum(['once-per-key', 'once', 'always']);
export type Reentry = z.infer<typeof reentrySchema>;

const looseDocument = z.strictObject({
  schema: z.literal('viatic.flow/1'),
  name,
  trigger: triggerSchema,
  entry: ruleSchema.nullable(),
  stay: ruleSchema.nullable(),
  reentry: reentrySchema,
  goal: goalSchema.nullable(),
  steps: z.array(stepSchema).max(200),
});

/** A flow, `viatic.flow/1`: steps in nested sequences, never a graph with jumps; so every document is a valid plan. */
export type FlowDocument = z.infer<typeof looseDocument>;

const MOST_STEPS = 500;
const DEEPEST = 8;

/** The one schema of a flow: validation, the type, the JSON Schema and the API's description come from it. */
export const flowSchema: z.ZodType<FlowDocument> = looseDocument.superRefine((flow, ctx) => {
  const ids = new Set<string>();
  let count = 0;
  const claim = (id: string, path: (string | number)[]) => {
    if (ids.has(id)) ctx.addIssue({ code: 'custom', path: [...path, 'id'], message: `the id "${id}" is used twice; every step and arm needs its own` });
    ids.add(id);
  };
  const visit = (steps: readonly Step[], path: (string | number)[], depth: number): void => {
    if (depth > DEEPEST) {
      ctx.addIssue({ code: 'custom', path, message: `branches are nested deeper than ${DEEPEST} levels` });
      return;
    }
    steps.forEach((step, index) => {
      count += 1;
      const here = [...path, index];
      claim(step.id, here);
      if (step.kind !== 'branch') return;
      step.arms.forEach((arm, armIndex) => {
        const armPath = [...here, 'arms', armIndex];
        claim(arm.id, armPath);
        const isLast = armIndex === step.arms.length - 1;
        if (isLast && arm.when !== null) ctx.addIssue({ code: 'custom', path: [...armPath, 'when'], message: 'the last arm takes everyone else, so its condition must be null' });
        if (!isLast && arm.when === null) ctx.addIssue({ code: 'custom', path: [...armPath, 'when'], message: 'only the last arm can be without a condition' });
        visit(arm.steps, [...armPath, 'steps'], depth + 1);
      });
    });
  };
  visit(flow.steps, ['steps'], 1);
  if (count > MOST_STEPS) ctx.addIssue({ code: 'custom', path: ['steps'], message: `has ${count} steps; at most ${MOST_STEPS} are possible` });
  if (flow.reentry === 'once-per-key' && !flow.trigger.key) ctx.addIssue({ code: 'custom', path: ['reentry'], message: 'once per key needs a trigger with a key' });
});

/** Calls `see` for every step in reading order, with its path of arms. */
export function eachStep(steps: readonly Step[], see: (step: Step, arms: readonly Arm[]) => void, arms: readonly Arm[] = []): void {
  for (const step of steps) {
    see(step, arms);
    if (step.kind === 'branch') for (const arm of step.arms) eachStep(arm.steps, see, [...arms, arm]);
  }
}

/** Every step of a flow in reading order. */
export function stepsOf(flow: FlowDocument): Step[] {
  const all: Step[] = [];
  eachStep(flow.steps, (step) => all.push(step));
  return all;
}
