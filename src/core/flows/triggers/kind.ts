import type { EventAsk } from '../asks';
import { LATEST_MS } from '../lateness';
import type { TriggerOff } from '../run';
import type { FactEvent, Facts, Happening } from '../../rules';
import type { Instant } from '../../time';

/** Whether a trigger has come about for a key, at a moment. */
export type TriggerState =
  | {
      readonly state: 'due' | 'pending';
      /** since when it has, or until when it cannot have yet */ readonly until: Instant;
      readonly event: FactEvent;
    }
  | { readonly state: 'off'; readonly off: TriggerOff };

/** What there is to know of a kind of trigger. A new kind is a new file and its line in the index. */
export interface TriggerKind<T> {
  /** The earliest moment at which it could come about because of an event, or null when the event does not begin it. */
  startsAt(trigger: T, event: Happening, zone: string): Instant | null;
  /**
   * Whether it has come about at the moment `at`. Looks at the recorded events alone, so that late, repeated and
   * out-of-order arrivals come to the same answer.
   */
  stateAt(trigger: T, key: string, facts: Pick<Facts, 'events'>, at: Instant, zone: string): TriggerState;
  /** the events that {@link stateAt} looks at */
  asks(trigger: T, key: string, at: Instant): EventAsk[];
  /** the event types that could end it before its moment */
  endsOn(trigger: T): readonly string[];
  /** how long before entry it begins: an ISO 8601 duration, or null when somebody enters at once */
  lead(trigger: T): string | null;
  /** what makes a trigger unsound, by its place in it */
  problems?(trigger: T): readonly { readonly path: readonly (string | number)[]; readonly message: string }[];
  /** the beginning of a sentence: "A person placed an order" */
  says(trigger: T): string;
  /** what came about: "placed an order" */
  saysDue(trigger: T): string;
}

/** The key of a trigger in what an event tells, as text; null when the trigger has one and the event lacks it. */
export function keyOf(trigger: { readonly key: string | null }, event: Pick<Happening, 'properties'>): string | null {
  if (!trigger.key) return '';
  const value = Object.hasOwn(event.properties, trigger.key) ? event.properties[trigger.key] : undefined;
  return typeof value === 'string' && value !== '' ? value : typeof value === 'number' ? String(value) : null;
}

/** The newest event of a type with a key, from a moment on and not after another. */
export function newestOf(
  events: readonly FactEvent[],
  trigger: { readonly key: string | null },
  key: string,
  { from, to }: { readonly from: Instant; readonly to: Instant },
  isMatch: (event: FactEvent) => boolean = () => true,
): FactEvent | undefined {
  return events.findLast((event) => event.time <= to && event.time >= from && keyOf(trigger, event) === key && isMatch(event));
}

/** From when on an event can be what a trigger has come about by at a moment, that takes `leadMs` to do so. */
export const earliestStart = (at: Instant, leadMs = 0): Instant => at - leadMs - LATEST_MS;
