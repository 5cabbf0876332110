import * as z from 'zod';
import { kindOfTest, propertyName, propertyTestsSchema, ruleSchema, sayName, sayRule, testsOf, type Rule, type Value } from '../../rules';
import { atClock, dayAt, isZone, localClock, localDate, nextRecurrence, recurrenceProblem, sayRecurrence, type Instant } from '../../time';
import { clockTime, sayDaysFrom } from '../parts';
import { eventTrigger } from './event';
import type { TriggerKind } from './kind';

/** Tells somebody that their time has come: by a schedule, or by a day on file. */
export const FLOW_DUE = 'flow.due';

// such a trigger begins with an event of our own, which tells for whom and for which occasion its time has come
const occasion = {
  event: z.literal(FLOW_DUE).default(FLOW_DUE),
  key: z.literal('occasion').default('occasion'),
  where: propertyTestsSchema.max(0, 'asks nothing of an event: say who by a rule').optional(),
  /** each by the clocks of the zone that stands on file about them; by the store's where it is left out, or none is on file */
  clocks: z.literal('person').optional(),
};

/** A schedule over people: at a moment by the store's clocks, once, or as a recurrence of RFC 5545 comes round. */
export const scheduleTriggerShape = {
  kind: z.literal('schedule'),
  ...occasion,
  starts: z
    .string()
    .regex(/^20\d{2}-\d{2}-\d{2}T([01]\d|2[0-3]):[0-5]\d$/, 'is no moment by the clock; write it as 2026-12-01T09:00')
    .refine(
      (text) => !Number.isNaN(Date.parse(`${text}:00Z`)) && new Date(`${text}:00Z`).toISOString().startsWith(text),
      'is no day of the calendar',
    ),
  rule: z.string().max(300).nullable(),
  /** who; everybody where it is null */
  who: ruleSchema
    .refine((rule) => !testsOf(rule).some((test) => kindOfTest(test).isForFlows?.(test)), 'asks for what is only known inside a flow')
    .nullable(),
  /** only when a feed that the store reads has so many entries at least that were not told before; letters show those */
  news: z.strictObject({ feed: z.string().min(1).max(60), atLeast: z.int().min(1).max(50) }).optional(),
};
export type ScheduleTrigger = z.infer<z.ZodObject<typeof scheduleTriggerShape>>;

/** A day on file about people, so many days after it (or before, below 0), at an hour; once, or as it comes round each year. */
export const dateTriggerShape = {
  kind: z.literal('date'),
  ...occasion,
  name: propertyName,
  yearly: z.boolean(),
  days: z.int().min(-366).max(366),
  at: clockTime,
};
export type DateTrigger = z.infer<z.ZodObject<typeof dateTriggerShape>>;

/** Whose time comes at an occasion, as a rule that is looked at then; everybody's where it is null. */
export const whoIsDue = (trigger: ScheduleTrigger | DateTrigger): Rule | null =>
  trigger.kind === 'schedule'
    ? trigger.who
    : { test: 'date', name: trigger.name, yearly: trigger.yearly, from: -trigger.days, to: -trigger.days };

/** The first occasion of a trigger after a moment; null where there is none any more. */
export function nextOccasion(trigger: ScheduleTrigger | DateTrigger, after: Instant, zone: string): Instant | null {
  if (trigger.kind === 'schedule') return nextRecurrence(trigger.rule, trigger.starts, after, zone);
  const today = dayAt(after, zone);
  for (const day of [today, today + 1]) {
    const at = atClock(day, trigger.at, zone);
    if (at > after) return at;
  }
  return atClock(today + 2, trigger.at, zone);
}

/** What tells occasions of one trigger apart: the moment, in UTC; where each person's own clocks count, what these show. */
export function occasionName(at: Instant, { clocks }: { readonly clocks?: 'person' | undefined } = {}, zone = 'UTC'): string {
  if (!clocks) return new Date(at).toISOString().slice(0, 16);
  const { minutes } = localClock(at, zone);
  return `${localDate(at, zone)}T${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
}

/** By which clocks a trigger comes round for somebody. */
export function clocksOf(
  { clocks }: { readonly clocks?: 'person' | undefined },
  attributes: { readonly [name: string]: Value },
  storeZone: string,
): string {
  const { zone } = attributes;
  return clocks === 'person' && typeof zone === 'string' && isZone(zone) ? zone : storeZone;
}

const sayClocks = (clocks: 'person' | undefined) => (clocks ? ' by their own clocks' : '');
const sayNews = ({ feed, atLeast }: NonNullable<ScheduleTrigger['news']>) =>
  ` where the feed “${feed}” has ${atLeast === 1 ? 'anything' : `at least ${atLeast} entries`} new`;
const sayStarts = (starts: string) => `${starts.slice(0, 10)} at ${starts.slice(11)}`;
const sayWho = (who: Rule | null): string => {
  const says = who && sayRule(who, {});
  return says && says !== sayRule({ all: [] }, {}) ? ` who ${says}` : '';
};

const { startsAt, stateAt, asks, endsOn, lead } = eventTrigger as unknown as TriggerKind<ScheduleTrigger | DateTrigger>;
const asEvent = { startsAt, stateAt, asks, endsOn, lead };

export const scheduleTrigger: TriggerKind<ScheduleTrigger> = {
  ...asEvent,
  problems({ rule, starts }) {
    const message = rule === null ? null : recurrenceProblem(rule, starts);
    return message ? [{ path: ['rule'], message }] : [];
  },
  says({ starts, rule, who, clocks, news }) {
    const when = rule ? `From ${sayStarts(starts)} ${sayRecurrence(rule)}` : `On ${sayStarts(starts)}`;
    return `${when}${sayClocks(clocks)}${news ? sayNews(news) : ''}, everybody${sayWho(who)}`;
  },
  saysDue: () => 'its time had come',
};

export const dateTrigger: TriggerKind<DateTrigger> = {
  ...asEvent,
  says: ({ name, yearly, days, at, clocks }) =>
    `${sayDaysFrom(days)[0]!.toUpperCase()}${sayDaysFrom(days).slice(1)} their ${sayName(name)}${yearly ? ', each year' : ''}, at ${at}${sayClocks(clocks)}`,
  saysDue: ({ name, days }) => `it was ${days === 0 ? 'the day of' : sayDaysFrom(days)} their ${sayName(name)}`,
};
