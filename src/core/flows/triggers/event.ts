import * as z from 'zod';
import { eventTypeSchema, eventsOf, matches, propertyTestsSchema, sayEvent } from '../../rules';
import { ask } from '../asks';
import { earliestStart, keyOf, newestOf, type TriggerKind } from './kind';
import { propertyKey } from '../parts';

/** An event starts the flow at once. */
export const eventTriggerShape = {
  kind: z.literal('event'),
  event: eventTypeSchema,
  key: propertyKey.nullable(),
  where: propertyTestsSchema.optional(),
};
export type EventTrigger = z.infer<z.ZodObject<typeof eventTriggerShape>>;

export const eventTrigger: TriggerKind<EventTrigger> = {
  startsAt: (trigger, event) =>
    event.type === trigger.event && keyOf(trigger, event) !== null && matches(event, trigger.where) ? event.time : null,
  stateAt(trigger, key, facts, at) {
    const event = newestOf(eventsOf(facts, trigger.event), trigger, key, { from: earliestStart(at), to: at }, (one) =>
      matches(one, trigger.where),
    );
    return event ? { state: 'due', until: event.time, event } : { state: 'off', off: { why: 'no-event' } };
  },
  asks: (trigger, key, at) => [
    ask({
      type: trigger.event,
      key: trigger.key ? { name: trigger.key, value: key } : null,
      where: trigger.where ?? [],
      from: earliestStart(at),
      to: at,
      most: 1,
      names: null,
    }),
  ],
  endsOn: () => [],
  lead: () => null,
  says: (trigger) => `A person ${sayEvent(trigger.event)}`,
  saysDue: (trigger) => sayEvent(trigger.event),
};
