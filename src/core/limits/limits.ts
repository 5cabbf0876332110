import * as z from 'zod';
import { CHANNELS, durationSchema, hoursSchema, nextWithin, sayHours, type Channel, type FactEvent, type Hours } from '../rules';
import { lotOf } from '../stats';
import {
  addDuration,
  approximateMs,
  DAY,
  dayAt,
  durationProblem,
  localDate,
  sayDuration,
  startOfDayNumber,
  windowStart,
  type Instant,
} from '../time';

const duration = durationSchema.refine(
  (text) => durationProblem(text) !== null || (approximateMs(text) > 0 && approximateMs(text) <= 366 * DAY),
  'must be above nothing and at most a year',
);

/** How much marketing anybody gets, whichever flows want them, and when. Service messages pass. */
export const limitsSchema = z.strictObject({
  /** the least time between two messages to the same person */
  gap: duration.nullable(),
  /** the most messages of a channel to the same person within a time; what is beyond is skipped */
  caps: z.array(z.strictObject({ channel: z.enum(CHANNELS), most: z.int().min(1).max(1000), per: duration })).max(10),
  /** at which times of the week messages go out; what is due at others is held */
  hours: hoursSchema.nullable(),
  /** days on which nothing goes out: the public holidays of a country (two letters, ISO 3166), and own ones */
  holidaysOf: z
    .string()
    .regex(/^[A-Z]{2}$/, 'is not a country; write two letters')
    .nullable(),
  closed: z.array(z.iso.date('is not a day such as 2026-12-24')).max(100),
  /** so many of a hundred people get no marketing at all, by lot, since a moment: what all of it brings is seen by them */
  control: z
    .strictObject({
      share: z.int().min(1, 'must be 1 to 20 of a hundred').max(20, 'must be 1 to 20 of a hundred'),
      since: z.iso.datetime().optional(),
    })
    .nullable()
    .default(null),
});
export type LimitsDocument = z.infer<typeof limitsSchema>;

/** Limits with every day on which nothing goes out, by its date. */
export interface Limits extends Omit<LimitsDocument, 'closed' | 'holidaysOf'> {
  readonly closed: ReadonlySet<string>;
}

export const NO_LIMITS: LimitsDocument = { gap: null, caps: [], hours: null, holidaysOf: null, closed: [], control: null };

/** What a message asks for itself: out of the gap, out of the caps, at hours of its own, or at any. */
export const ownLimitsSchema = z.strictObject({
  gap: z.literal(false).optional(),
  caps: z.literal(false).optional(),
  hours: z.union([hoursSchema, z.literal('any')]).optional(),
});
export type OwnLimits = z.infer<typeof ownLimitsSchema>;

/** What a limit rests on, as data: said by {@link sayLimited}. */
export type Limited =
  | { readonly by: 'gap'; readonly gap: string; readonly last: Instant }
  | { readonly by: 'hours'; readonly hours: Hours | null; readonly closed?: string }
  | { readonly by: 'control'; readonly share: number }
  | { readonly by: 'cap'; readonly channel: Channel; readonly most: number; readonly per: string };

export type Passes =
  | { readonly to: 'go' }
  /** not before then */
  | { readonly to: 'hold'; readonly until: Instant; readonly because: Limited }
  | { readonly to: 'skip'; readonly because: Limited };

/** The type by which what has been sent is on file, and how it tells marketing from service. */
export const MESSAGE_SENT = 'message.sent';

/** Whether somebody is of the store's control group: drawn by lot, the same whoever asks, for as long as the share stays. */
export const isKeptOut = (personId: string, control: LimitsDocument['control']): boolean =>
  // no flow has a key with a space
  control !== null && lotOf({ flow: 'the store', personId, stepId: 'control', key: null }) < control.share / 100;

/**
 * The one gate before every message: may it go to somebody at this moment, by who they are and what has been sent to
 * them. Who is of the store's control group gets no marketing; a cap swallows what is beyond it; a gap, hours and closed days hold it back.
 */
export function gate(
  message: {
    readonly personId: string;
    readonly kind: 'marketing' | 'service';
    readonly channel: Channel;
    readonly own?: OwnLimits | undefined;
  },
  sent: readonly FactEvent[],
  limits: Limits,
  now: Instant,
  zone: string,
): Passes {
  if (message.kind === 'service') return { to: 'go' };
  if (limits.control && isKeptOut(message.personId, limits.control))
    return { to: 'skip', because: { by: 'control', share: limits.control.share } };
  const own = message.own ?? {};
  const before = sent.filter((event) => event.time <= now && event.properties.kind === 'marketing');
  if (own.caps !== false)
    for (const { channel, most, per } of limits.caps) {
      if (channel !== message.channel) continue;
      const after = windowStart(now, per, zone);
      if (before.filter((event) => event.time > after && event.properties.channel === channel).length >= most)
        return { to: 'skip', because: { by: 'cap', channel, most, per } };
    }
  const last = before.reduce((latest, event) => Math.max(latest, event.time), -Infinity);
  if (limits.gap !== null && own.gap !== false && last > -Infinity) {
    const until = addDuration(last, limits.gap, zone);
    if (until > now) return { to: 'hold', until, because: { by: 'gap', gap: limits.gap, last } };
  }
  const hours = own.hours === 'any' ? null : (own.hours ?? limits.hours);
  const closed = own.hours === 'any' ? NO_DAYS : limits.closed;
  const until = nextOpen(now, hours, closed, zone);
  if (until <= now) return { to: 'go' };
  const today = localDate(now, zone);
  return { to: 'hold', until, because: { by: 'hours', hours, ...(closed.has(today) && { closed: today }) } };
}
const NO_DAYS: ReadonlySet<string> = new Set();

/** The first moment, from one on, at which messages go out; the moment itself where none comes within two months. */
function nextOpen(at: Instant, hours: Hours | null, closed: ReadonlySet<string>, zone: string): Instant {
  let moment = at;
  for (let tries = 0; tries < 120; tries++) {
    const next = hours ? nextWithin(moment, hours, zone) : moment;
    if (!closed.has(localDate(next, zone))) return next;
    moment = startOfDayNumber(dayAt(next, zone) + 1, zone);
  }
  return at;
}

/** Some of what has been sent: so many of the newest since a moment, of one channel or of any. */
export interface SentAsk {
  readonly channel: Channel | null;
  readonly from: Instant;
  readonly most: number;
}

/** What {@link gate} looks at of all that has been sent. */
export const sentNeeded = (limits: Limits, now: Instant, zone: string): SentAsk[] => [
  ...(limits.gap === null ? [] : [{ channel: null, from: windowStart(now, limits.gap, zone), most: 1 }]),
  ...limits.caps.map(({ channel, most, per }) => ({ channel, from: windowStart(now, per, zone), most })),
];

/** Says what a limit rests on: "another message went out less than 16 hours before". */
export function sayLimited(limited: Limited): string {
  switch (limited.by) {
    case 'gap':
      return `another message went out less than ${sayDuration(limited.gap)} before`;
    case 'hours':
      if (limited.closed) return `nothing goes out on ${limited.closed}`;
      return `messages go out${limited.hours ? sayHours(limited.hours) : ' on other days'}`;
    case 'control':
      return `they are of the ${limited.share} % who get no marketing at all, to see what it brings`;
    case 'cap':
      return `${limited.most === 1 ? 'a message' : `${limited.most} messages`} in ${sayDuration(limited.per)} is the most that anybody gets`;
  }
}
