import { addDuration, sayDuration, type Instant } from '../time';
import { matches, sayEvent, valueAt, type FactEvent, type Facts, type Happening } from '../rules';
import type { FlowDocument, Reentry, Trigger } from './document';
import type { Outcome, Phase } from './run';

/** The event of a direct call: somebody was put into a flow by hand or through the API, not by its trigger. */
export const FLOW_CALLED = 'flow.called';

/** The key of a trigger in an event's properties, as text; null when the trigger has one and the event lacks it. */
export function keyOf(trigger: Trigger, event: Happening): string | null {
  if (!trigger.key) return '';
  const value = valueAt(event.properties, trigger.key);
  return typeof value === 'string' && value !== '' ? value : typeof value === 'number' ? String(value) : null;
}

/**
 * What an event means for the start of a flow: a key to arm, and the earliest moment at which the trigger could
 * have come about. Whether it has is decided by {@link triggerState} when that moment is there.
 */
export function startsOn(document: FlowDocument, event: Happening, zone: string): { key: string; at: Instant } | null {
  const { trigger } = document;
  if (event.type !== trigger.event) return null;
  const key = keyOf(trigger, event);
  if (key === null) return null;
  if (trigger.kind === 'event') return matches(event, trigger.where) ? { key, at: event.time } : null;
  return { key, at: addDuration(event.time, trigger.after, zone) };
}

/** A run that this person had or has in the same flow. */
export interface EarlierRun {
  readonly key: string;
  readonly phase: Phase;
  readonly outcome: Outcome | null;
}

/** Says why this person may not start again with this key, or null when they may. Runs that never entered do not count. */
export function mayNotStartBecause(reentry: Reentry, earlier: readonly EarlierRun[], key: string): string | null {
  const entered = earlier.filter((run) => run.phase !== 'armed' && run.outcome !== 'not-entered');
  if (reentry === 'once' && entered.length) return 'has been in this flow before, and it is once per person';
  if (reentry === 'once-per-key' && entered.some((run) => run.key === key)) return `this flow has already run for ${key}, and it is once for each`;
  if (entered.some((run) => run.key === key && run.phase === 'inside')) return 'is inside this flow already';
  return null;
}

/** Whether a trigger has come about for a key. */
export type TriggerState =
  | { readonly state: 'due'; readonly event: FactEvent; readonly says: string }
  | { readonly state: 'pending'; readonly until: Instant; readonly event: FactEvent }
  | { readonly state: 'off'; readonly says: string };

/**
 * Looks at the recorded events alone, so that late, repeated and out-of-order arrivals come to the same answer.
 * For a silence: the last event with the key counts, the silence lasts from it, and an `unless` event with the
 * same key ends it whenever it happened; one that carries no key ends it when it is not older than the last event.
 */
export function triggerState(trigger: Trigger, key: string, facts: Facts, now: Instant, zone: string): TriggerState {
  let last: FactEvent | undefined;
  for (const event of facts.events) {
    if (event.type === trigger.event && event.time <= now && keyOf(trigger, event) === key && (trigger.kind === 'silence' || matches(event, trigger.where))) last = event;
  }
  if (!last) return { state: 'off', says: `the event ${trigger.event} is not on file` };
  if (trigger.kind === 'event') return { state: 'due', event: last, says: sayEvent(trigger.event) };

  if (!matches(last, trigger.where)) return { state: 'off', says: `the last ${trigger.event} does not match what the trigger asks for` };
  const { unless } = trigger;
  if (unless) {
    for (const event of facts.events) {
      if (event.type !== unless.event || event.time > now) continue;
      const itsKey = keyOf(trigger, event);
      if (itsKey === null ? event.time >= last.time : itsKey === key) {
        return { state: 'off', says: `${sayEvent(unless.event)}${trigger.key && itsKey !== null ? ' for it' : ''}` };
      }
    }
  }
  const until = addDuration(last.time, trigger.after, zone);
  if (until > now) return { state: 'pending', until, event: last };
  return { state: 'due', event: last, says: `${sayEvent(trigger.event)}, then nothing for ${sayDuration(trigger.after)}` };
}

/** Says a trigger as the beginning of a sentence. */
export function sayTrigger(trigger: Trigger): string {
  const noun = trigger.event.split('.')[0];
  if (trigger.kind === 'event') return `A person ${sayEvent(trigger.event)}`;
  const unless = trigger.unless ? `, unless they ${sayEvent(trigger.unless.event)}${trigger.key ? ` for the same ${noun}` : ''}` : '';
  return `${sayDuration(trigger.after)} of silence after a person ${sayEvent(trigger.event)}${unless}`;
}
