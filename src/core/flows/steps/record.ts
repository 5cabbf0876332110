import * as z from 'zod';
import { eventTypeSchema, valueAt, type Value } from '../../rules';
import { name, propertyKey, stepId } from '../parts';
import type { StepKind } from './kind';

/** A property of what is recorded: a value, or one that came with what started the run. */
export type Recorded = { name: string; value: string | number | boolean } | { name: string; from: string };

export interface RecordStep {
  id: string;
  kind: 'record';
  name: string;
  event: string;
  properties: Recorded[];
}

/** Types of events that shops and we ourselves report: what they say counts as done, so no flow makes them up. */
const TAKEN = /^(attribute|cart|code|flow|list|message|order|segment|task|call)\./;

const properties = z
  .array(
    z.union([
      z.strictObject({ name: propertyKey, value: z.union([z.string().max(1000), z.number(), z.boolean()]) }),
      z.strictObject({ name: propertyKey, from: z.string().min(1).max(120) }),
    ]),
  )
  .max(20);

export const recordSchema = z.strictObject({
  id: stepId,
  kind: z.literal('record'),
  name,
  event: eventTypeSchema.refine(
    (type) => !TAKEN.test(type),
    'is reserved for what really happened; choose a type of your own, such as app.asked',
  ),
  properties,
});

/** How far one recorded event may lead to the next, from flow to flow: two flows that begin each other come to an end. */
export const MOST_HOPS = 10;

/**
 * How many flows have led to what a run that was started with some data tells. Only what a flow has recorded has hops: a shop
 * may mean something else by the word.
 */
export const hopsOf = (data: { readonly [name: string]: Value }): number =>
  typeof data.byFlow === 'string' && typeof data.hops === 'number' ? data.hops + 1 : 1;

/** Records an event of the person, which other flows, rules and reports see like any other. */
export const recordKind: StepKind<RecordStep> = {
  actsOnce: true,
  run(step, here) {
    const { data } = here.about;
    const hops = hopsOf(data);
    if (hops > MOST_HOPS) {
      here.note('skipped', { saw: { hops: MOST_HOPS } });
      return { to: 'next' };
    }
    const told: Record<string, Value> = {};
    for (const one of step.properties) {
      const value = 'from' in one ? valueAt(data, one.from) : one.value;
      if (value !== undefined) told[one.name] = value;
    }
    here.do({ kind: 'event', type: step.event, properties: { ...told, byFlow: here.flow, hops } });
    here.note('recorded');
    return { to: 'next' };
  },
  fresh: (id) => ({ id, kind: 'record', name: 'New event', event: 'app.reminded', properties: [] }),
  says: (step) => `Record “${step.name}”`,
  saysNext: (step) => `Record “${step.name}”`,
  check(step, add, flow) {
    if (flow.triggers.some(({ event }) => event === step.event))
      add(
        'starts-itself',
        'stops',
        `“${step.name}” starts this flow again`,
        `It records ${step.event}, which is a trigger of this very flow; record another type.`,
      );
    const names = new Set(step.properties.map((one) => one.name));
    if (names.size < step.properties.length)
      add('same-property', 'warns', `“${step.name}” has two properties of the same name`, 'The last of them counts; remove the other.');
  },
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(is.event === was.event ? [] : [`“${is.name}” records ${is.event} instead of ${was.event}`]),
    ...(JSON.stringify(is.properties) === JSON.stringify(was.properties) ? [] : [`“${is.name}”: what it tells has changed`]),
  ],
};
