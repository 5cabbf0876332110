import * as z from 'zod';
import { eventTypeSchema, eventsOf, matches, propertyTestsSchema, sayEvent } from '../../rules';
import { addDuration, approximateMs, sayDuration } from '../../time';
import { ask } from '../asks';
import { earliestStart, keyOf, newestOf, type TriggerKind } from './kind';
import { positiveDuration, propertyKey } from '../parts';

/**
 * The event, then no more of it for `after`, matched by the property `key`, and no event `unless` with the same key. An
 * `unless` event counts from the last event on if it doesn't carry the key or the trigger has none: an earlier one was about
 * something else.
 */
export const silenceTriggerShape = {
  kind: z.literal('silence'),
  event: eventTypeSchema,
  key: propertyKey.nullable(),
  after: positiveDuration,
  where: propertyTestsSchema.optional(),
  unless: z.strictObject({ event: eventTypeSchema }).nullable(),
};
export type SilenceTrigger = z.infer<z.ZodObject<typeof silenceTriggerShape>>;

export const silenceTrigger: TriggerKind<SilenceTrigger> = {
  startsAt: (trigger, event, zone) =>
    event.type === trigger.event && keyOf(trigger, event) !== null ? addDuration(event.time, trigger.after, zone) : null,
  /**
   * The last event with the key counts, the silence lasts from it, and an `unless` event with the same key ends it
   * whenever it happened; one without a key ends it if it is not older than the last event.
   */
  stateAt(trigger, key, facts, at, zone) {
    const last = newestOf(eventsOf(facts, trigger.event), trigger, key, { from: earliestStart(at, approximateMs(trigger.after)), to: at });
    if (!last) return { state: 'off', off: { why: 'no-event' } };
    if (!matches(last, trigger.where)) return { state: 'off', off: { why: 'no-match' } };
    const { unless } = trigger;
    if (unless) {
      for (const event of eventsOf(facts, unless.event)) {
        if (event.time > at) break;
        const itsKey = keyOf(trigger, event);
        if (trigger.key === null || itsKey === null ? event.time >= last.time : itsKey === key)
          return { state: 'off', off: { why: 'ended', by: unless.event, hasKey: trigger.key !== null && itsKey !== null } };
      }
    }
    const until = addDuration(last.time, trigger.after, zone);
    return { state: until > at ? 'pending' : 'due', until, event: last };
  },
  asks(trigger, key, at) {
    const name = trigger.key;
    const about = (value: string | null) => (name ? { name, value } : null);
    const from = earliestStart(at, approximateMs(trigger.after));
    const asks = [ask({ type: trigger.event, key: about(key), from, to: at, most: 1, names: null })];
    if (trigger.unless)
      for (const value of name ? [key, null] : [key])
        asks.push(ask({ type: trigger.unless.event, key: about(value), to: at, most: 1, names: name ? [name] : [] }));
    return asks;
  },
  endsOn: (trigger) => (trigger.unless ? [trigger.unless.event] : []),
  lead: (trigger) => trigger.after,
  says(trigger) {
    const noun = trigger.event.split('.')[0];
    const unless = trigger.unless ? `, unless they ${sayEvent(trigger.unless.event)}${trigger.key ? ` for the same ${noun}` : ''}` : '';
    return `${sayDuration(trigger.after)} of silence after a person ${sayEvent(trigger.event)}${unless}`;
  },
  saysDue: (trigger) => `${sayEvent(trigger.event)}, then nothing for ${sayDuration(trigger.after)}`,
};
