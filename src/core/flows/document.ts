import * as z from 'zod';
import {
  eventTypeSchema,
  propertyTestsSchema,
  ruleSchema,
  sayEventOf,
  sayRule,
  type PropertyTest,
  type Rule,
  type Wording,
} from '../rules';
import { sayDuration } from '../time';
import { flowKey, name, positiveDuration, stepId } from './parts';
import { armsOf, kindOfStep, leavesAnswer, type StepKinds } from './steps';
import { acceptedSchema, checkSchema } from './rehearsed';
import { branchSchema } from './steps/branch';
import { callSchema } from './steps/call';
import { codeSchema } from './steps/code';
import { endSchema } from './steps/end';
import { handSchema } from './steps/hand';
import { ideaSchema } from './steps/idea';
import { lookupSchema } from './steps/lookup';
import { noteSchema } from './steps/note';
import { recordSchema } from './steps/record';
import { sendSchema } from './steps/send';
import { taskSchema } from './steps/task';
import { testSchema } from './steps/test';
import { updateSchema } from './steps/update';
import { waitSchema } from './steps/wait';
import { kindOfTrigger, triggerSchema } from './triggers';

export type Step = StepKinds[keyof StepKinds];
export interface Arm {
  id: string;
  name: string;
  when: Rule | null;
  /** of a test: how large a share takes it, beside those of the others */
  share?: number;
  steps: Step[];
}
export type { PropertyTest };

const armSchema: z.ZodType<Arm> = z.lazy(() =>
  z.strictObject({
    id: stepId,
    name,
    when: ruleSchema.nullable(),
    share: z.int().min(0).max(1000).optional(),
    steps: z.array(stepSchema).max(100),
  }),
);
export const stepSchema: z.ZodType<Step> = z.lazy(() =>
  z.discriminatedUnion('kind', [
    waitSchema(armSchema),
    sendSchema,
    branchSchema(armSchema),
    testSchema(armSchema),
    recordSchema,
    updateSchema,
    callSchema(armSchema),
    codeSchema(armSchema),
    lookupSchema(armSchema),
    noteSchema,
    taskSchema(armSchema),
    handSchema,
    ideaSchema,
    endSchema,
  ]),
);

const day = z.iso.date('is not a day such as 2026-12-24');

const goalWays = {
  within: positiveDuration,
  /** whether reaching the goal ends the run */
  ends: z.boolean(),
  /** the key of a flow that people are handed over to who reach it */
  handTo: flowKey.optional(),
};
/** What a flow is for: something that people do, or a rule that comes to hold, within a window from entry. */
const goalSchema = z.union([
  z.strictObject({ event: eventTypeSchema, where: propertyTestsSchema.optional(), ...goalWays }),
  z.strictObject({ rule: ruleSchema, ...goalWays }),
]);
export type Goal = z.infer<typeof goalSchema>;

/** How often the same person may start: once per trigger key (cart, order), once ever, every time, or again after a while. */
const reentrySchema = z.union([z.enum(['once-per-key', 'once', 'always']), z.strictObject({ after: positiveDuration })]);
export type Reentry = z.infer<typeof reentrySchema>;

/** How many triggers start one flow at most. */
export const MOST_TRIGGERS = 10;
const MOST_STEPS = 500;
const DEEPEST = 8;

/** Where in the life of a customer a flow stands: before the first order, around it, beside what was bought, for those who stay. */
export const STAGES = ['lead', 'first-order', 'more', 'loyal'] as const;
export type Stage = (typeof STAGES)[number];
export const STAGE_WORDS: { readonly [stage in Stage]: string } = {
  lead: 'Before the first order',
  'first-order': 'First order',
  more: 'More of what they like',
  loyal: 'Those who stay',
};

const looseDocument = z.strictObject({
  schema: z.literal('viatic.flow/1'),
  name,
  /** what it is for, in the words of those who keep it */
  description: z.string().max(1000).optional(),
  tags: z.array(z.string().trim().min(1).max(40)).max(20).optional(),
  /** who looks after it */
  owner: z.string().trim().max(120).optional(),
  /** it is one message to many at a moment, and is written on a screen of its own; a flow in all else */
  as: z.literal('broadcast').optional(),
  /** where in the life of a customer it stands */
  stage: z.enum(STAGES).optional(),
  /** any of them starts the flow */
  triggers: z.array(triggerSchema).min(1, 'needs at least one trigger').max(MOST_TRIGGERS),
  entry: ruleSchema.nullable(),
  stay: ruleSchema.nullable(),
  reentry: reentrySchema,
  /** the days on which people enter, by the calendar of the store; with `leave`, who is inside after the last leaves */
  window: z
    .strictObject({ from: day.optional(), to: day.optional(), leave: z.boolean().optional() })
    .refine(({ from, to }) => !from || !to || from <= to, 'ends before it begins')
    .optional(),
  /** how many enter on one day, by the calendar of the store; those beyond wait for the next, or never enter */
  perDay: z.strictObject({ most: z.int().min(1).max(1_000_000), beyond: z.enum(['wait', 'drop']) }).optional(),
  /** how many of a hundred are drawn to get nothing, so that the others can be held against them */
  control: z.int().min(1).max(90).optional(),
  /** of several flows that want the same person at the same moment, the higher goes first: 0 to 100, 50 where it is left out */
  priority: z.int().min(0).max(100).optional(),
  goal: goalSchema.nullable(),
  steps: z.array(stepSchema).max(200),
  /** somebody made up who is sent through before each publishing */
  checks: z.array(checkSchema).max(50).optional(),
  /** warnings that have been accepted, with the reason */
  accepted: z.array(acceptedSchema).max(100).optional(),
});

/** A flow, `viatic.flow/1`: steps in nested sequences, never a graph with jumps; so every document is a valid plan. */
export type FlowDocument = z.infer<typeof looseDocument>;

/** The form of documents as they are now: what {@link flowSchema} comes to after older forms were upgraded. */
export const currentFlowSchema: z.ZodType<FlowDocument> = looseDocument.superRefine((flow, ctx) => {
  const ids = new Set<string>();
  let count = 0;
  const claim = (id: string, path: (string | number)[]) => {
    if (ids.has(id))
      ctx.addIssue({ code: 'custom', path: [...path, 'id'], message: `the id "${id}" is used twice; every step and arm needs its own` });
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
      for (const { path: at, message } of kindOfStep(step).problems?.(step) ?? [])
        ctx.addIssue({ code: 'custom', path: [...here, ...at], message });
      const arms = armsOf(step);
      arms.forEach((arm, armIndex) => {
        const armPath = [...here, 'arms', armIndex];
        claim(arm.id, armPath);
        visit(arm.steps, [...armPath, 'steps'], depth + 1);
      });
    });
  };
  visit(flow.steps, ['steps'], 1);
  if (count > MOST_STEPS)
    ctx.addIssue({ code: 'custom', path: ['steps'], message: `has ${count} steps; at most ${MOST_STEPS} are possible` });
  const names = new Set<string>();
  flow.triggers.forEach((trigger, index) => {
    if (names.has(trigger.id))
      ctx.addIssue({
        code: 'custom',
        path: ['triggers', index, 'id'],
        message: `the id "${trigger.id}" is used twice; every trigger needs its own`,
      });
    names.add(trigger.id);
    for (const { path, message } of kindOfTrigger(trigger).problems?.(trigger) ?? [])
      ctx.addIssue({ code: 'custom', path: ['triggers', index, ...path], message });
    if (flow.reentry === 'once-per-key' && !trigger.key)
      ctx.addIssue({ code: 'custom', path: ['triggers', index, 'key'], message: 'once per key needs a trigger with a key' });
  });
});

/** Brings a document of an older form to the present one; what is of no form known is left as it is. */
function upgraded(document: unknown): unknown {
  if (document === null || typeof document !== 'object' || Array.isArray(document)) return document;
  // one trigger, without an id
  if ('trigger' in document && !('triggers' in document)) {
    const { trigger, ...rest } = document as { trigger: unknown };
    return {
      ...rest,
      triggers: [trigger !== null && typeof trigger === 'object' && !Array.isArray(trigger) ? { id: 'start', ...trigger } : trigger],
    };
  }
  return document;
}

/** The one schema of a flow: validation, the type, the JSON Schema and the API's description come from it. Older forms are upgraded. */
export const flowSchema = z.preprocess(upgraded, currentFlowSchema) as unknown as z.ZodType<FlowDocument>;

/** Calls `see` for every step in reading order, with its path of arms. */
export function eachStep(steps: readonly Step[], see: (step: Step, arms: readonly Arm[]) => void, arms: readonly Arm[] = []): void {
  for (const step of steps) {
    see(step, arms);
    for (const arm of armsOf(step)) eachStep(arm.steps, see, [...arms, arm]);
  }
}

/** Every step of a flow in reading order. */
export function stepsOf(flow: Pick<FlowDocument, 'steps'>): Step[] {
  const all: Step[] = [];
  eachStep(flow.steps, (step) => all.push(step));
  return all;
}

/** The name of the message that comes next after a step, in the order of reading; null where none does. */
export function nextMessageAfter(flow: FlowDocument, stepId: string): string | null {
  const steps = stepsOf(flow);
  const next = steps.slice(steps.findIndex(({ id }) => id === stepId) + 1).find((step) => step.kind === 'send');
  return next?.kind === 'send' ? next.name : null;
}

/** Steps of which something comes that can be asked for further on, in reading order. */
export const answersIn = (flow: FlowDocument): Step[] => stepsOf(flow).filter(leavesAnswer);

/** A goal in words: "placed an order within 7 days of entering". */
export const sayGoal = (goal: Goal, wording: Wording = {}): string =>
  `${'rule' in goal ? sayRule(goal.rule, wording) : sayEventOf(goal, wording.currency)} within ${sayDuration(goal.within)} of entering`;

/** The words for saying a flow's rules: what its triggers are about, where all are about the same, and the store's currency. */
export function wordingOf(flow: Pick<FlowDocument, 'triggers'>, currency: string): Wording {
  const subjects = new Set(flow.triggers.map(({ event }) => event.split('.')[0]));
  return { ...(subjects.size === 1 && { triggerType: flow.triggers[0]!.event }), currency };
}
