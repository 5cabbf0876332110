import { z } from 'zod';
import {
  eventsOf,
  eventTypeSchema,
  hoursSchema,
  matches,
  nextWithin,
  propertyName,
  propertyTestsSchema,
  ruleSchema,
  sayDone,
  sayHours,
  sayName,
  sayRule,
  valueAt,
  verdict,
  wakesOn,
  type Hours,
  type Rule,
  type WhereTest,
} from '../../rules';
import { addDuration, approximateMs, atClock, DAY, dayNumber, sayDuration, WEEK, type Instant } from '../../time';
import type { Arm } from '../document';
import { clockTime, positiveDuration, sayDaysFrom, stepId } from '../parts';
import type { Here, StepKind, Went } from './kind';

/** A day on file, so many days later (or before, below 0), at a time of day. */
export interface WaitDate {
  of: 'person' | 'start';
  name: string;
  days: number;
  at: string;
}

/** What ends a wait before its time: something that happens, or a rule that comes to hold. */
export type WaitUntil = { event: string; where?: WhereTest[] } | { rule: Rule };

/**
 * The one way to stand still. It lasts `for` a while or until a `date`, and from there on to the next of some `hours`; what it
 * waits for (`until`) ends it before. With arms the first is for those for whom that came, the second for whom time ran out.
 */
export interface WaitStep {
  id: string;
  kind: 'wait';
  for?: string;
  date?: WaitDate;
  hours?: Hours;
  until?: WaitUntil;
  arms?: Arm[];
}
export const waitSchema = (arm: z.ZodType<Arm>) =>
  z.strictObject({
    id: stepId,
    kind: z.literal('wait'),
    for: positiveDuration.optional(),
    date: z
      .strictObject({ of: z.enum(['person', 'start']), name: propertyName, days: z.int().min(-366).max(366), at: clockTime })
      .optional(),
    hours: hoursSchema.optional(),
    until: z
      .union([z.strictObject({ event: eventTypeSchema, where: propertyTestsSchema.optional() }), z.strictObject({ rule: ruleSchema })])
      .optional(),
    arms: z.array(arm).length(2, 'needs two arms: one for what came, one for when time ran out').optional(),
  });

const MINUTE_MS = 60_000;

const sayUntil = (until: WaitUntil) => ('event' in until ? `has ${sayDone(until.event)}` : sayRule(until.rule, {}));

const sayDays = (days: number) => (days === 0 ? '' : `${sayDaysFrom(days)} `);

const sayDate = ({ of, name, days, at }: WaitDate): string => {
  const day = of === 'start' ? `the ${sayName(name)} it started with` : `their ${sayName(name)}`;
  return `until ${sayDays(days)}${day} at ${at}`;
};

/** Up to when a wait lasts, in words: "3 days", "until 2 days before trial end at 09:00". */
function sayLength(step: WaitStep): string {
  const parts = step.date ? [sayDate(step.date)] : step.for ? [sayDuration(step.for)] : [];
  const hours = step.hours && `until the next time it is${sayHours(step.hours)}`;
  return [...parts, ...(hours ? [parts.length ? `then ${hours}` : hours] : [])].join(', ');
}

/** "Wait 3 days", or "Waiting up to 3 days, until the person has clicked a message". */
export const sayWait = (step: WaitStep, verb = 'Wait'): string => {
  const length = sayLength(step);
  if (!step.until) return `${verb} ${length}`;
  const until = `until the person ${sayUntil(step.until)}`;
  return step.date || step.hours ? `${verb} ${length}, or ${until}` : `${verb} up to ${length}, ${until}`;
};

/** The length of a wait as short as can be: "3 days", "up to 3 days", "until 09:00"; with a + where some hours come on top. */
export function sayShortWait(step: WaitStep): string {
  const { date, hours } = step;
  const own = date ? `${sayDays(date.days)}${sayName(date.name)}` : step.for ? sayDuration(step.for) : '';
  const then = hours ? (own ? ' +' : `until ${hours.from ?? 'some days'}`) : '';
  return `${step.until && own ? 'up to ' : ''}${own}${then}`;
}

/** How long the wait is, in words that end "ran out: … without it". */
export const sayLimit = (step: WaitStep): string => sayLength(step);

/** When a wait that begins at a moment is over; null where the day it goes by is not known. */
function overAt(step: WaitStep, here: Here): Instant | null {
  let at = here.stands;
  if (step.date) {
    const { of, name, days, at: clock } = step.date;
    const value = valueAt(of === 'person' ? here.facts.attributes : here.about.data, name);
    const day = typeof value === 'string' ? dayNumber(value.slice(0, 10)) : null;
    if (day === null) return null;
    // a day that is past is not waited for
    at = Math.max(at, atClock(day + days, clock, here.zone));
  } else if (step.for) at = addDuration(at, step.for, here.zone);
  return step.hours ? nextWithin(at, step.hours, here.zone) : at;
}

export const waitKind: StepKind<WaitStep> = {
  runsWhilePaused: true,
  run(step, here) {
    const isNew = here.waitUntil === null;
    const over = here.waitUntil ?? overAt(step, here);
    if (isNew) here.note('waiting', over === null ? { saw: { noDay: step.date!.name } } : {});
    const { until: awaited } = step;
    const on = (way: 0 | 1, stands: Instant): Went => {
      const arm = step.arms?.[way];
      return arm ? { to: 'arm', arm, stands } : { to: 'next', stands };
    };
    // without its day there is nothing to wait for
    if (over === null) return on(1, here.stands);
    if (!awaited) return over > here.now ? { to: 'wait', until: over } : on(1, over);
    if ('rule' in awaited) {
      const answer = verdict(awaited.rule, here.facts, here.view);
      if (answer.holds) {
        here.answer({ at: here.now, data: {} });
        here.note('answered', { saw: { came: here.now } });
        return on(0, here.now);
      }
      if (over > here.now) return { to: 'wait', until: over, lookAt: answer.until, on: wakesOn([awaited.rule]) };
      here.note('unanswered');
      return on(1, over);
    }
    if (isNew) return { to: 'wait', until: over, isNew, on: [awaited.event] };
    const from = here.waitFrom ?? over;
    const came = eventsOf(here.facts, awaited.event).find(
      (event) => event.time > from && event.time < over && event.time <= here.now && matches(event, awaited.where),
    );
    if (came) {
      here.answer({ at: came.time, data: came.properties });
      here.note('answered', { saw: { came: came.time } });
      return on(0, came.time);
    }
    if (over > here.now) return { to: 'wait', until: over, on: [awaited.event] };
    here.note('unanswered');
    return on(1, over);
  },
  fresh: (id) => ({ id, kind: 'wait', for: 'P1D' }),
  says: (step) => sayWait(step),
  saysNext: (step) => sayWait(step),
  awaits: (step) => (step.until && 'event' in step.until ? step.until : null),
  arms: (step) => step.arms ?? [],
  withArms: (step, arms) => (step.arms ? { ...step, arms: [...arms] } : step),
  rules: (step) => (step.until && 'rule' in step.until ? [step.until.rule] : []),
  looksAtStart: (step) => step.date?.of === 'start',
  span(step) {
    const least = step.until || step.date ? 0 : step.for ? approximateMs(step.for) : 0;
    // a day that somebody has on file may be any; by some hours it takes a week at most
    const own = step.date ? null : step.for ? approximateMs(step.for) : 0;
    return { least, most: own === null ? null : own + (step.hours ? WEEK : 0) };
  },
  problems(step) {
    if (step.for !== undefined && step.date) return [{ path: ['date'], message: 'waits for a while or until a day, not both' }];
    if (step.for === undefined && !step.date && !step.hours)
      return [{ path: ['for'], message: 'needs to say how long: a duration, a day or hours of the week' }];
    if (step.arms && !step.until) return [{ path: ['arms'], message: 'only a wait for something has arms' }];
    return (step.arms ?? []).flatMap(({ when, share }, index) => [
      ...(when === null ? [] : [{ path: ['arms', index, 'when'], message: 'the arms of a wait go by what comes, so it must be null' }]),
      ...(share === undefined ? [] : [{ path: ['arms', index, 'share'], message: 'only the arms of a test have shares' }]),
    ]);
  },
  check(step, add) {
    if (step.date || !step.for) return;
    const ms = approximateMs(step.for);
    if (ms < MINUTE_MS)
      add(
        'wait-short',
        'warns',
        `A wait of only ${sayDuration(step.for)}`,
        'Waits this short are usually left over from trying out; set it to what customers should get.',
      );
    if (ms > 60 * DAY) add('wait-long', 'warns', `A wait of ${sayDuration(step.for)}`, 'Check the unit: was a shorter time meant?');
  },
  differs(was, is) {
    const plain = (step: WaitStep) => JSON.stringify([step.date, step.hours, step.until]);
    if (plain(was) !== plain(is)) return [`${sayWait(was)} becomes: ${sayWait(is)}`];
    return is.for === was.for || !is.for || !was.for ? [] : [`Wait: ${sayDuration(was.for)} becomes ${sayDuration(is.for)}`];
  },
};
