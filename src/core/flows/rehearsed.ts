import * as z from 'zod';
import { CHANNELS, durationSchema, eventTypeSchema, type Value } from '../rules';
import { name, stepId } from './parts';

const value: z.ZodType<Value> = z.json() as z.ZodType<Value>;
const data = z.record(z.string().min(1).max(120), value);
const consent = z.enum(['given', 'withdrawn', 'unknown']);

/** Somebody made up for a rehearsal. */
export const madeUpSchema = z.strictObject({
  attributes: data.optional(),
  consent: z.partialRecord(z.enum(CHANNELS), consent).optional(),
  tags: z.array(z.string().min(1).max(60)).max(100).optional(),
  lists: z.array(z.string().min(1).max(60)).max(100).optional(),
  segments: z.array(z.string().min(1).max(60)).max(100).optional(),
});
export type MadeUp = z.infer<typeof madeUpSchema>;

const moment = { at: z.iso.datetime({ offset: true }).optional(), after: durationSchema.optional() };

/** What happens in a rehearsal: at a moment, or so long after its beginning. */
const happeningSchema = z
  .strictObject({ ...moment, type: eventTypeSchema, data: data.optional() })
  .refine(({ at, after }) => (at === undefined) !== (after === undefined), { message: 'needs either at or after', path: ['at'] });

/** What somebody does with a message of a step, so long after it has gone out. */
const answerSchema = z.strictObject({ step: z.string().min(1).max(40), after: durationSchema, url: z.string().max(2000).optional() });

/** One person who goes through a flow without anything leaving the house. */
export const rehearsalShape = {
  /** somebody on file, by external id or ~number; their history counts */
  person: z.string().min(1).max(200).optional(),
  madeUp: madeUpSchema.optional(),
  events: z.array(happeningSchema).max(200),
  opens: z.array(answerSchema).max(50).optional(),
  clicks: z.array(answerSchema).max(50).optional(),
  /** what calls and tasks are answered, by step; the others are not, and time runs out */
  answers: z
    .array(z.strictObject({ step: z.string().min(1).max(40), after: durationSchema, ok: z.boolean(), data: data.optional() }))
    .max(50)
    .optional(),
  until: z.iso.datetime({ offset: true }).optional(),
};
export type RehearsedPerson = z.infer<z.ZodObject<typeof rehearsalShape>>;

/** Somebody made up who is sent through the flow before each publishing, and what has to come of it. */
export const checkSchema = z.strictObject({
  name,
  madeUp: madeUpSchema.optional(),
  events: rehearsalShape.events,
  opens: rehearsalShape.opens,
  clicks: rehearsalShape.clicks,
  answers: rehearsalShape.answers,
  /** how long they are followed after the last that happens; 120 days where it is left out */
  follow: durationSchema.optional(),
  expects: z.strictObject({
    /** the steps whose messages they get, in order */
    sends: z.array(stepId).max(100),
    /** whether they reach the goal, where that is asked */
    goal: z.boolean().optional(),
  }),
});
export type Check = z.infer<typeof checkSchema>;

/** A warning of the preflight that somebody has accepted, with the reason. */
export const acceptedSchema = z.strictObject({
  code: z.string().min(1).max(40),
  step: stepId.nullable(),
  reason: z.string().trim().min(3, 'is too short: say why').max(300),
});
