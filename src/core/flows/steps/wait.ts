import * as z from 'zod';
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
  type FactEvent,
  type Hours,
  type Rule,
  type Value,
  type WhereTest,
} from '../../rules';
import { countryCode } from '../../places';
import { addDuration, approximateMs, atClock, DAY, dayAt, dayNumber, isZone, sayDuration, secondOf, WEEK, type Instant } from '../../time';
import type { Arm } from '../document';
import { clockTime, positiveDuration, sayDaysFrom, stepId } from '../parts';
import { bestHour, OPENS_LOOKED_AT, OPENS_WITHIN } from '../besthour';
import type { Here, StepKind, Went } from './kind';

/** A day on file, so many days later (or before, below 0), at a time of day. */
export interface WaitDate {
  of: 'person' | 'start';
  name: string;
  days: number;
  at: string;
}

/**
 * How the order goes that the run is about: until it is sent or delivered, and so long after. Where the shop does not tell, it is taken
 * to have come about so long after the order, by the country of the person.
 */
export interface WaitParcel {
  is: 'shipped' | 'delivered';
  /** how long after that; at once where it is left out */
  then?: string;
  /** how long it takes to some countries (ISO 3166, two letters): the first that names the person's counts */
  estimates: { countries: string[]; takes: string }[];
  /** how long it takes to all others, and where the country is not known */
  otherwise: string;
}

/** What ends a wait before its time: something that happens, or a rule that comes to hold. */
export type WaitUntil = { event: string; where?: WhereTest[] } | { rule: Rule };

/**
 * The one way to stand still. It lasts `for` a while, until a `date` or until a `parcel`, and from there on to the next of some `hours`; what it
 * waits for (`until`) ends it before. With arms the first is for those for whom that came, the second for whom time ran out.
 */
export interface WaitStep {
  id: string;
  kind: 'wait';
  for?: string;
  /** with `for`: not so long for everybody, but each for a part of it by lot, so that they go on spread over it */
  spread?: true;
  /** until the hour of the day at which they mostly open, by their own clocks; where that is not known, until this time */
  best?: { otherwise: string };
  date?: WaitDate;
  parcel?: WaitParcel;
  hours?: Hours;
  until?: WaitUntil;
  arms?: Arm[];
}
export const waitSchema = (arm: z.ZodType<Arm>) =>
  z.strictObject({
    id: stepId,
    kind: z.literal('wait'),
    for: positiveDuration.optional(),
    spread: z.literal(true).optional(),
    best: z.strictObject({ otherwise: clockTime }).optional(),
    date: z
      .strictObject({ of: z.enum(['person', 'start']), name: propertyName, days: z.int().min(-366).max(366), at: clockTime })
      .optional(),
    parcel: z
      .strictObject({
        is: z.enum(['shipped', 'delivered']),
        then: positiveDuration.optional(),
        estimates: z
          .array(
            z.strictObject({
              countries: z
                .array(z.string().regex(/^[A-Z]{2}$/, 'is not a country; write two letters such as NL'))
                .min(1)
                .max(60),
              takes: positiveDuration,
            }),
          )
          .max(20),
        otherwise: positiveDuration,
      })
      .optional(),
    hours: hoursSchema.optional(),
    until: z
      .union([z.strictObject({ event: eventTypeSchema, where: propertyTestsSchema.optional() }), z.strictObject({ rule: ruleSchema })])
      .optional(),
    arms: z.array(arm).length(2, 'needs two arms: one for what came, one for when time ran out').optional(),
  });

const MINUTE_MS = 60_000;

const sayUntil = (until: WaitUntil) => ('event' in until ? `has ${sayDone(until.event)}` : sayRule(until.rule, {}));

const sayParcel = ({ is, then, estimates, otherwise }: WaitParcel): string => {
  const countries = estimates.map((one) => `${sayDuration(one.takes)} after it to ${one.countries.join(', ')}`);
  const taken = [...countries, `${sayDuration(otherwise)}${countries.length ? ' elsewhere' : ' after it'}`].join(', ');
  return `until ${then ? `${sayDuration(then)} after ` : ''}their order is ${is} (where the shop does not tell: ${taken})`;
};

/** When the parcel of the order is there as far as is known by now: as the shop has told it, or as it is taken to be. */
function parcelAt(parcel: WaitParcel, here: Here): Instant {
  const told = eventsOf(here.facts, parcelEvent(parcel)).findLast(
    (event) =>
      event.time <= here.now &&
      event.time >= (here.about.at ?? here.view.enteredAt ?? 0) &&
      event.properties.orderId === orderOf(here.about),
  );
  const country = valueAt(here.facts.attributes, 'country');
  const code = typeof country === 'string' ? countryCode(country) : null;
  const takes = parcel.estimates.find(({ countries }) => code !== null && countries.includes(code))?.takes ?? parcel.otherwise;
  const there = told?.time ?? addDuration(here.about.at ?? here.waitFrom ?? here.stands, takes, here.zone);
  return parcel.then ? addDuration(there, parcel.then, here.zone) : there;
}
const parcelEvent = ({ is }: WaitParcel): string => `order.${is}`;
/** The number of the order that a run is about. */
const orderOf = ({ data, key }: Pick<Here['about'], 'data' | 'key'>): Value => data.orderId ?? key;

const sayDays = (days: number) => (days === 0 ? '' : `${sayDaysFrom(days)} `);

const sayDate = ({ of, name, days, at }: WaitDate): string => {
  const day = of === 'start' ? `the ${sayName(name)} it started with` : `their ${sayName(name)}`;
  return `until ${sayDays(days)}${day} at ${at}`;
};

/** Up to when a wait lasts, in words: "3 days", "until 2 days before trial end at 09:00". */
function sayLength(step: WaitStep): string {
  const parts = step.parcel
    ? [sayParcel(step.parcel)]
    : step.date
      ? [sayDate(step.date)]
      : step.best
        ? [`until the hour at which they mostly open, or ${step.best.otherwise} where that is not known`]
        : step.for
          ? [step.spread ? `for some time of ${sayDuration(step.for)}, each by lot` : sayDuration(step.for)]
          : [];
  const hours = step.hours && `until the next time it is${sayHours(step.hours)}`;
  return [...parts, ...(hours ? [parts.length ? `then ${hours}` : hours] : [])].join(', ');
}

/** "Wait 3 days", or "Waiting up to 3 days, until the person has clicked a message". */
export const sayWait = (step: WaitStep, verb = 'Wait'): string => {
  const length = sayLength(step);
  if (!step.until) return `${verb} ${length}`;
  const until = `until the person ${sayUntil(step.until)}`;
  return step.date || step.parcel || step.hours ? `${verb} ${length}, or ${until}` : `${verb} up to ${length}, ${until}`;
};

/** The length of a wait as short as can be: "3 days", "up to 3 days", "until 09:00"; with a + where some hours come on top. */
export function sayShortWait(step: WaitStep): string {
  const { date, hours, parcel } = step;
  const own = parcel
    ? `${parcel.is}${parcel.then ? ` + ${sayDuration(parcel.then)}` : ''}`
    : date
      ? `${sayDays(date.days)}${sayName(date.name)}`
      : step.best
        ? 'their best hour'
        : step.for
          ? `${step.spread ? 'spread over ' : ''}${sayDuration(step.for)}`
          : '';
  const then = hours ? (own ? ' +' : `until ${hours.from ?? 'some days'}`) : '';
  return `${step.until && own ? 'up to ' : ''}${own}${then}`;
}

/** How long the wait is, in words that end "ran out: … without it". */
export const sayLimit = (step: WaitStep): string => sayLength(step);

/** By whose clocks somebody's own hours go. */
const zoneOf = ({ facts, zone }: Here): string => {
  const own = valueAt(facts.attributes, 'zone');
  return typeof own === 'string' && isZone(own) ? own : zone;
};
/** The hour of the day at which they mostly open; null where too few openings tell. */
const ownHour = (here: Here): number | null => {
  const since = here.stands - approximateMs(OPENS_WITHIN);
  const opens = eventsOf(here.facts, OPENED).filter(({ time }) => time > since && time <= here.stands);
  return bestHour(
    opens.map(({ time }) => time),
    zoneOf(here),
  );
};
const OPENED = 'message.opened';

/** When a wait that begins at a moment is over; null where the day it goes by is not known. */
function overAt(step: WaitStep, here: Here): Instant | null {
  let at = here.stands;
  if (step.parcel) at = Math.max(here.waitFrom ?? at, parcelAt(step.parcel, here));
  else if (step.date) {
    const { of, name, days, at: clock } = step.date;
    const value = valueAt(of === 'person' ? here.facts.attributes : here.about.data, name);
    const day = typeof value === 'string' ? dayNumber(value.slice(0, 10)) : null;
    if (day === null) return null;
    // a day that is past is not waited for
    at = Math.max(at, atClock(day + days, clock, here.zone));
  } else if (step.best) {
    const zone = zoneOf(here);
    const hour = ownHour(here);
    const clock = hour === null ? step.best.otherwise : `${String(hour).padStart(2, '0')}:00`;
    const today = dayAt(at, zone);
    at = [today, today + 1, today + 2].map((day) => atClock(day, clock, zone)).find((moment) => moment >= at)!;
  } else if (step.for) {
    const end = addDuration(at, step.for, here.zone);
    at = step.spread ? Math.floor(at + (end - at) * here.lot(here.about.key)) : end;
  }
  return step.hours ? nextWithin(at, step.hours, here.zone) : at;
}

/**
 * Whether an event came after a wait began. Shops send whole seconds, so an event stamped with the second in which the wait began counts
 * too, unless it started the run or this flow recorded it.
 */
function isSince(event: FactEvent, from: Instant, here: Pick<Here, 'about' | 'flow'>): boolean {
  if (event.time > from) return true;
  return event.time === secondOf(from) && event.id !== here.about.eventId && event.properties.byFlow !== here.flow;
}

export const waitKind: StepKind<WaitStep> = {
  runsWhilePaused: true,
  run(step, here) {
    const isNew = here.waitUntil === null;
    // what is known of a parcel may change while it is waited for
    const over = step.parcel ? overAt(step, here) : (here.waitUntil ?? overAt(step, here));
    if (isNew)
      here.note('waiting', over === null ? { saw: { noDay: step.date!.name } } : step.best ? { saw: { hour: ownHour(here) } } : {});
    const { until: awaited } = step;
    const on = (way: 0 | 1, stands: Instant): Went => {
      const arm = step.arms?.[way];
      return arm ? { to: 'arm', arm, stands } : { to: 'next', stands };
    };
    // without its day there is nothing to wait for
    if (over === null) return on(1, here.stands);
    // whether the shop has told of it already is known when that has been asked for
    if (step.parcel && isNew) return { to: 'wait', until: over, looksBack: true, on: [parcelEvent(step.parcel)] };
    const told = step.parcel ? [parcelEvent(step.parcel)] : [];
    if (!awaited) return over > here.now ? { to: 'wait', until: over, on: told } : on(1, over);
    if ('rule' in awaited) {
      const answer = verdict(awaited.rule, here.facts, here.view);
      if (answer.holds) {
        here.answer({ at: here.now, data: {} });
        here.note('answered', { saw: { came: here.now } });
        return on(0, here.now);
      }
      if (over > here.now) return { to: 'wait', until: over, lookAt: answer.until, on: [...told, ...wakesOn([awaited.rule])] };
      here.note('unanswered');
      return on(1, over);
    }
    if (isNew) return { to: 'wait', until: over, isNew, on: [awaited.event] };
    const from = here.waitFrom ?? over;
    const came = eventsOf(here.facts, awaited.event).find(
      (event) => isSince(event, from, here) && event.time < over && event.time <= here.now && matches(event, awaited.where),
    );
    if (came) {
      here.answer({ at: came.time, data: came.properties });
      here.note('answered', { saw: { came: came.time } });
      return on(0, Math.max(from, came.time));
    }
    if (over > here.now) return { to: 'wait', until: over, on: [...told, awaited.event] };
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
  needs: (step) => [
    ...(step.parcel ? [{ kind: 'attribute', name: 'country' } as const] : []),
    ...(step.best ? [{ kind: 'event', name: OPENED, where: [], since: { last: OPENS_WITHIN }, times: OPENS_LOOKED_AT } as const] : []),
  ],
  looksBackFor: (step, about) =>
    step.parcel ? { event: parcelEvent(step.parcel), where: [{ property: 'orderId', op: 'is', value: orderOf(about) as string }] } : null,
  span(step) {
    if (step.parcel) {
      const longest = Math.max(...[...step.parcel.estimates.map(({ takes }) => takes), step.parcel.otherwise].map(approximateMs));
      return { least: 0, most: longest + (step.parcel.then ? approximateMs(step.parcel.then) : 0) + (step.hours ? WEEK : 0) };
    }
    if (step.best) return { least: 0, most: DAY + (step.hours ? WEEK : 0) };
    const least = step.until || step.date || step.spread ? 0 : step.for ? approximateMs(step.for) : 0;
    // a day that somebody has on file may be any; by some hours it takes a week at most
    const own = step.date ? null : step.for ? approximateMs(step.for) : 0;
    return { least, most: own === null ? null : own + (step.hours ? WEEK : 0) };
  },
  problems(step) {
    if ([step.for, step.date, step.parcel, step.best].filter((one) => one !== undefined).length > 1)
      return [
        {
          path: [step.parcel ? 'parcel' : step.best ? 'best' : 'date'],
          message: 'waits for a while, until a day, until an hour of their own or until a parcel, one of them',
        },
      ];
    if (step.spread && (step.for === undefined || step.until))
      return [{ path: ['spread'], message: 'goes with a while, and with nothing that is waited for' }];
    if (step.for === undefined && !step.date && !step.parcel && !step.best && !step.hours)
      return [{ path: ['for'], message: 'needs to say how long: a duration, a day or hours of the week' }];
    if (step.arms && !step.until) return [{ path: ['arms'], message: 'only a wait for something has arms' }];
    return (step.arms ?? []).flatMap(({ when, share }, index) => [
      ...(when === null ? [] : [{ path: ['arms', index, 'when'], message: 'the arms of a wait go by what comes, so it must be null' }]),
      ...(share === undefined ? [] : [{ path: ['arms', index, 'share'], message: 'only the arms of a test have shares' }]),
    ]);
  },
  check(step, add, flow) {
    if (step.parcel && !flow.triggers.some((trigger) => trigger.event.startsWith('order.') || trigger.key === 'orderId'))
      add(
        'parcel-without-order',
        'stops',
        'A wait goes by a parcel, but no order starts the flow',
        'Start it by an order, or wait for a while instead.',
      );
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
    const plain = (step: WaitStep) => JSON.stringify([step.date, step.parcel, step.best, step.spread, step.hours, step.until]);
    if (plain(was) !== plain(is)) return [`${sayWait(was)} becomes: ${sayWait(is)}`];
    return is.for === was.for || !is.for || !was.for ? [] : [`Wait: ${sayDuration(was.for)} becomes ${sayDuration(is.for)}`];
  },
};
