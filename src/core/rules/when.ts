import * as z from 'zod';
import { endOfDate, leavesWindow, localClock, sayDuration, startOfDate, windowStart, type Instant, atClock, dayAt } from '../time';
import { whereTest } from './compare';
import { eventsOf, firstAfter, matches } from './events';
import { inOrder, type FactEvent, type Facts, type Viewpoint } from './facts';
import { durationSchema, eventTypeSchema } from './value';
import { sayDay, sayEventOf } from './wording';

const dateSchema = z
  .string()
  .refine((text) => startOfDate(text, 'UTC') !== null, { message: 'is not a date', params: { right: 'a day such as 2026-11-24' } });

/** An event of a type, with what is asked of it. */
export const happenedSchema = z.strictObject({ event: eventTypeSchema, where: z.array(whereTest).max(20).optional() });

/**
 * Which events count, by when they happened: ever, since the person entered this flow, up to what started the flow (it is
 * counted in), within a duration before now, longer ago than that, after the last time that something else happened, or on
 * days of the store's calendar (both counted in).
 */
export const sinceSchema = z.union([
  z.literal('ever'),
  z.literal('entry'),
  z.literal('start'),
  z.strictObject({ after: happenedSchema }),
  z.strictObject({ last: durationSchema }),
  z.strictObject({ ago: durationSchema }),
  z
    .strictObject({ from: dateSchema.optional(), to: dateSchema.optional() })
    .refine(({ from, to }) => from ?? to, { message: 'has neither a first nor a last day', params: { right: 'one of from and to' } })
    .refine(({ from, to }) => !from || !to || from <= to, { message: 'ends before it begins', params: { right: 'from up to to' } }),
]);
export type Since = z.infer<typeof sinceSchema>;

const CLOCK = /^([01]\d|2[0-3]):[0-5]\d$/;
const clockSchema = z.string().regex(CLOCK, 'is not a time of day; write hours and minutes, for example 08:30');

/** At which times of the week, by the store's clock: on these days (1 is Monday), from an hour up to another, over midnight too. */
export const hoursSchema = z
  .strictObject({
    weekdays: z.array(z.int().min(1).max(7)).min(1).max(7).optional(),
    from: clockSchema.optional(),
    to: clockSchema.optional(),
  })
  .refine(({ from, to }) => (from === undefined) === (to === undefined) && (from === undefined || from !== to), {
    message: 'needs both hours, and not twice the same',
    params: { right: 'from 18:00 to 09:00' },
  })
  .refine(({ weekdays, from }) => weekdays ?? from, { message: 'names no time', params: { right: 'weekdays, hours, or both' } });
export type Hours = z.infer<typeof hoursSchema>;

/** Minutes since midnight of a time of day. */
export const minutesOf = (clock: string): number => Number(clock.slice(0, 2)) * 60 + Number(clock.slice(3));

/** Whether a moment is at one of these times of the week. */
export function isWithin(at: Instant, hours: Hours | undefined, zone: string): boolean {
  if (!hours) return true;
  const { weekday, minutes } = localClock(at, zone);
  if (hours.weekdays && !hours.weekdays.includes(weekday)) return false;
  if (hours.from === undefined) return true;
  const [from, to] = [minutesOf(hours.from), minutesOf(hours.to!)];
  return from < to ? minutes >= from && minutes < to : minutes >= from || minutes < to;
}

/** The first moment, from one on, that is at one of these times of the week. */
export function nextWithin(at: Instant, hours: Hours, zone: string): Instant {
  if (isWithin(at, hours, zone)) return at;
  const today = dayAt(at, zone);
  // over midnight a day may begin inside: its hours after midnight belong to the day they are on
  const clocks = hours.from === undefined ? ['00:00'] : ['00:00', hours.from];
  for (let day = today; day <= today + 8; day++)
    for (const clock of clocks) {
      const moment = atClock(day, clock, zone);
      if (moment >= at && isWithin(moment, hours, zone)) return moment;
    }
  throw new Error('a week has none of these hours');
}

/** The bounds of what counts, seen from a moment: after `after` (or at it, with `isFrom`), up to and with `to`. */
export interface Span {
  readonly after: Instant;
  readonly isFrom: boolean;
  readonly to: Instant;
  /** the event after which it begins, where it is one: of the same moment those count that came after it */
  readonly behind?: FactEvent;
}

/** The span that a rule means; `facts` are needed where it begins with something that happened. */
export function spanOf(
  since: Since,
  { now, zone, enteredAt, about }: Pick<Viewpoint, 'now' | 'zone' | 'enteredAt' | 'about'>,
  facts?: Pick<Facts, 'events'>,
): Span {
  if (since === 'ever') return { after: -Infinity, isFrom: true, to: now };
  // "since entering" takes in the moment of entry itself; a sliding window has just let go of its far edge
  if (since === 'entry') return { after: enteredAt ?? now, isFrom: true, to: now };
  if (since === 'start') return { after: -Infinity, isFrom: true, to: Math.min(now, about?.at ?? enteredAt ?? now) };
  if ('last' in since) return { after: windowStart(now, since.last, zone), isFrom: false, to: now };
  if ('ago' in since) return { after: -Infinity, isFrom: true, to: windowStart(now, since.ago, zone) };
  if ('after' in since) {
    const behind = facts && lastOf(facts, since.after, now);
    return behind ? { after: behind.time, isFrom: true, to: now, behind } : { after: Infinity, isFrom: false, to: now };
  }
  return {
    after: since.from === undefined ? -Infinity : startOfDate(since.from, zone)!,
    isFrom: true,
    to: Math.min(now, since.to === undefined ? Infinity : endOfDate(since.to, zone) - 1),
  };
}

/** The last time that something had happened at a moment. */
function lastOf(facts: Pick<Facts, 'events'>, { event: type, where }: z.infer<typeof happenedSchema>, now: Instant): FactEvent | null {
  const events = eventsOf(facts, type);
  for (let at = firstAfter(events, now) - 1; at >= 0; at--) if (matches(events[at]!, where)) return events[at]!;
  return null;
}

/** When a span could begin later without a new fact: at the next event after which it begins that is stamped by a clock ahead of ours. */
export function beginsAnew(since: Since, facts: Pick<Facts, 'events'>, now: Instant): Instant | null {
  if (typeof since !== 'object' || !('after' in since)) return null;
  const events = eventsOf(facts, since.after.event);
  return events[firstAfter(events, now)]?.time ?? null;
}

/** Whether an event lies before a span begins. */
export const isBefore = (event: FactEvent, { after, isFrom, behind }: Span): boolean =>
  (isFrom ? event.time < after : event.time <= after) || (behind !== undefined && inOrder(event, behind) <= 0);

/** When an event comes to be longer ago than a duration, or leaves a window of that length: the same moment. */
export const passesOut = (time: Instant, duration: string, { now, zone }: Pick<Viewpoint, 'now' | 'zone'>): Instant =>
  leavesWindow(time, duration, zone, now);

/** Says when, behind what happened: " in the last 30 days". */
export function saySince(since: Since): string {
  if (since === 'ever') return '';
  if (since === 'entry') return ' since entering';
  if (since === 'start') return ' up to what started the flow, it counted in';
  if ('last' in since) return ` in the last ${sayDuration(since.last).replace(/^1 (\w+)$/, '$1')}`;
  if ('ago' in since) return ` more than ${sayDuration(since.ago)} ago`;
  if ('after' in since) return ` since they last ${sayEventOf(since.after)}`;
  if (since.from === undefined) return ` up to ${sayDay(since.to!)}`;
  if (since.to === undefined) return ` since ${sayDay(since.from)}`;
  return since.from === since.to ? ` on ${sayDay(since.from)}` : ` between ${sayDay(since.from)} and ${sayDay(since.to)}`;
}

const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

/** Says at which times of the week: " on a Saturday or Sunday between 18:00 and 09:00". */
export function sayHours(hours: Hours | undefined): string {
  if (!hours) return '';
  const days = [...(hours.weekdays ?? [])].sort((a, b) => a - b).map((day) => DAYS[day - 1]);
  const on = days.length ? ` on a ${days.length > 1 ? `${days.slice(0, -1).join(', ')} or ` : ''}${days.at(-1)}` : '';
  return `${on}${hours.from === undefined ? '' : ` between ${hours.from} and ${hours.to}`}`;
}
