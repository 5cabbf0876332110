import { z } from 'zod';
import { eventsOf, eventTypeSchema, matches, propertyTestsSchema, sayDone, type WhereTest } from '../../rules';
import { addDuration, approximateMs, DAY, sayDuration } from '../../time';
import { positiveDuration, stepId } from '../parts';
import type { StepKind } from './kind';

export interface WaitStep {
  id: string;
  kind: 'wait';
  for: string;
  /** an event that ends it before: what came with it is the answer of this step */
  until?: { event: string; where?: WhereTest[] };
}
export const waitSchema = z.strictObject({
  id: stepId,
  kind: z.literal('wait'),
  for: positiveDuration,
  until: z.strictObject({ event: eventTypeSchema, where: propertyTestsSchema.optional() }).optional(),
});

const MINUTE_MS = 60_000;

/** "Wait 3 days", or "Waiting up to 3 days, until the person has clicked a message". */
export const sayWait = (step: WaitStep, verb = 'Wait'): string =>
  step.until
    ? `${verb} up to ${sayDuration(step.for)}, until the person has ${sayDone(step.until.event)}`
    : `${verb} ${sayDuration(step.for)}`;

/** Stands still for a while, or until something happens; the first that happens after it began, and before it is over. */
export const waitKind: StepKind<WaitStep> = {
  runsWhilePaused: true,
  run(step, here) {
    const isNew = here.waitUntil === null;
    const until = here.waitUntil ?? addDuration(here.stands, step.for, here.zone);
    if (isNew) here.note('waiting');
    const { until: awaited } = step;
    if (!awaited) return until > here.now ? { to: 'wait', until } : { to: 'next', stands: until };
    if (isNew) return { to: 'wait', until, isNew, on: [awaited.event] };
    const from = here.waitFrom ?? until;
    const came = eventsOf(here.facts, awaited.event).find(
      (event) => event.time > from && event.time < until && event.time <= here.now && matches(event, awaited.where),
    );
    if (came) {
      here.answer({ at: came.time, data: came.properties });
      here.note('answered', { saw: { came: came.time } });
      return { to: 'next', stands: came.time };
    }
    if (until > here.now) return { to: 'wait', until, on: [awaited.event] };
    here.note('unanswered');
    return { to: 'next', stands: until };
  },
  says: (step) => sayWait(step),
  saysNext: (step) => sayWait(step),
  awaits: (step) => step.until ?? null,
  span: (step) => ({ least: step.until ? 0 : approximateMs(step.for), most: approximateMs(step.for) }),
  check(step, add) {
    const ms = approximateMs(step.for);
    if (ms < MINUTE_MS)
      add(
        'warns',
        `A wait of only ${sayDuration(step.for)}`,
        'Waits this short are usually left over from trying out; set it to what customers should get.',
      );
    if (ms > 60 * DAY) add('warns', `A wait of ${sayDuration(step.for)}`, 'Check the unit: was a shorter time meant?');
  },
  differs: (was, is) => [
    ...(is.for === was.for ? [] : [`Wait: ${sayDuration(was.for)} becomes ${sayDuration(is.for)}`]),
    ...(JSON.stringify(is.until) === JSON.stringify(was.until) ? [] : [`${sayWait(was)} becomes: ${sayWait(is)}`]),
  ],
};
