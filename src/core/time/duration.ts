import { Temporal } from 'temporal-polyfill';

/** An instant in milliseconds since 1970-01-01T00:00:00Z. */
export type Instant = number;

export const SECOND = 1000;
export const MINUTE = 60 * SECOND;
export const HOUR = 60 * MINUTE;
export const DAY = 24 * HOUR;
export const WEEK = 7 * DAY;

/** A parsed ISO 8601 duration: `calendar` parts need a zone, `exactMs` does not. */
interface Parsed {
  readonly duration: Temporal.Duration;
  readonly hasCalendarPart: boolean;
  readonly exactMs: number;
}

const LONGEST_DAYS = 3660;
const cache = new Map<string, Parsed>();

function parse(text: string): Parsed {
  const known = cache.get(text);
  if (known) return known;
  const duration = Temporal.Duration.from(text);
  const parsed: Parsed = {
    duration,
    hasCalendarPart: duration.years !== 0 || duration.months !== 0 || duration.weeks !== 0 || duration.days !== 0,
    exactMs: duration.hours * HOUR + duration.minutes * MINUTE + duration.seconds * SECOND + duration.milliseconds,
  };
  if (cache.size > 1000) cache.clear();
  cache.set(text, parsed);
  return parsed;
}

/**
 * Says what is wrong with a duration, or null when it is a positive ISO 8601 duration of at most ten years.
 */
export function durationProblem(text: string): string | null {
  let parsed: Parsed;
  try {
    parsed = parse(text);
  } catch {
    return 'is not an ISO 8601 duration; write for example PT1H, P1D or P2W';
  }
  if (parsed.duration.sign < 0) return 'is negative; a duration goes forward';
  if (approximateMs(text) > LONGEST_DAYS * DAY) return 'is longer than ten years';
  return null;
}

/**
 * Adds an ISO 8601 duration to an instant. Hours and below are exact; days, weeks, months and years follow
 * the calendar of the zone, so P1D over a change of the clocks keeps the local time of day (RFC 5545 §3.3.6
 * makes the same distinction). A local time that does not exist moves forward, one that happens twice is the first.
 */
export function addDuration(at: Instant, duration: string, zone: string): Instant {
  return shift(at, parse(duration), zone, 1);
}

/** Takes an ISO 8601 duration off an instant, with the same rules as {@link addDuration}. */
export function subtractDuration(at: Instant, duration: string, zone: string): Instant {
  return shift(at, parse(duration), zone, -1);
}

function shift(at: Instant, parsed: Parsed, zone: string, sign: 1 | -1): Instant {
  if (!parsed.hasCalendarPart) return at + sign * parsed.exactMs;
  const { duration } = parsed;
  if (duration.years === 0 && duration.months === 0) {
    const there = sameLocalTime(at, sign * (duration.weeks * 7 + duration.days), zone);
    if (there !== null) return there + sign * parsed.exactMs;
  }
  const zoned = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone);
  return (sign > 0 ? zoned.add(duration) : zoned.subtract(duration)).epochMilliseconds;
}

/**
 * The moment at which a window that reaches back from `at` begins: "the last 30 days". Unlike {@link subtractDuration} it
 * never steps back as `at` goes on, so what has left a window never comes back into it: an hour that the clocks repeat
 * counts as one moment, a local time that did not exist is the moment of the change, and a day that its month does not
 * have is the end of that month.
 */
export function windowStart(at: Instant, duration: string, zone: string): Instant {
  const parsed = parse(duration);
  if (!parsed.hasCalendarPart) return at - parsed.exactMs;
  const { years, months, weeks, days } = parsed.duration;
  if (years === 0 && months === 0) {
    // an hour that the clocks have just repeated is another matter
    const there = offsetAt(at, zone) === offsetAt(at - DAY, zone) ? sameLocalTime(at, -(weeks * 7 + days), zone) : null;
    if (there !== null) return there - parsed.exactMs;
  }
  const local = localGoingOn(at, zone);
  let from = local.subtract({ years, months });
  if (from.day !== local.day) from = from.toPlainDate().add({ days: 1 }).toPlainDateTime();
  return firstInstantAt(from.subtract({ weeks, days }), zone) - parsed.exactMs;
}

/** The first moment at which something of `time` is no longer within a window that is looked at from `now` on. */
export function leavesWindow(time: Instant, duration: string, zone: string, now: Instant): Instant {
  const isOut = (moment: Instant) => windowStart(moment, duration, zone) >= time;
  const guess = addDuration(time, duration, zone);
  if (guess > now && isOut(guess) && !isOut(guess - 1)) return guess;
  let low = now;
  let high = Math.max(guess, now) + 5 * DAY;
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2);
    if (isOut(middle)) high = middle;
    else low = middle;
  }
  return high;
}

/** The same local time so many days on or, below 0, back; null where the clocks change within a day of it, so that it needs a look. */
function sameLocalTime(at: Instant, days: number, zone: string): Instant | null {
  const plain = at + days * DAY;
  const there = plain + offsetAt(at, zone) - offsetAt(plain, zone);
  const offset = offsetAt(plain, zone);
  return [there - DAY, there, there + DAY].every((moment) => offsetAt(moment, zone) === offset) ? there : null;
}

/** The local time of an instant; in an hour that the clocks repeat, the end of it, so that it never goes back. */
function localGoingOn(at: Instant, zone: string): Temporal.PlainDateTime {
  const zoned = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone);
  const change = offsetAt(at, zone) < offsetAt(at - DAY, zone) ? zoned.getTimeZoneTransition('previous') : null;
  if (!change) return zoned.toPlainDateTime();
  const before = change.subtract({ milliseconds: 1 }).toPlainDateTime().add({ milliseconds: 1 });
  return Temporal.PlainDateTime.compare(before, zoned.toPlainDateTime()) > 0 ? before : zoned.toPlainDateTime();
}

/** The instant of a local time: the first of two, or the change of the clocks that leapt over it. */
function firstInstantAt(local: Temporal.PlainDateTime, zone: string): Instant {
  const zoned = local.toZonedDateTime(zone, { disambiguation: 'earlier' });
  if (zoned.toPlainDateTime().equals(local)) return zoned.epochMilliseconds;
  return zoned.getTimeZoneTransition('next')!.epochMilliseconds;
}

/** The moment at which clocks of a zone first show a time of day ("08:30") on a day; in an hour that they skip, its end. */
export function atClock(day: number, clock: string, zone: string): Instant {
  const date = Temporal.PlainDate.from('1970-01-01').add({ days: day });
  return firstInstantAt(date.toPlainDateTime(clock), zone);
}

// all changes of clocks since 1970 in the IANA database fall on a quarter of an hour, so one look serves a quarter
const QUARTER = 15 * MINUTE;
const offsets = new Map<string, Map<number, number>>();

/** The day of the week (1 is Monday) and the minutes since midnight that clocks of a zone show. */
export function localClock(at: Instant, zone: string): { weekday: number; minutes: number } {
  const local = at + offsetAt(at, zone);
  // 1 January 1970 was a Thursday
  return { weekday: ((Math.floor(local / DAY) + 3) % 7) + 1, minutes: Math.floor((local - Math.floor(local / DAY) * DAY) / MINUTE) };
}

function offsetAt(at: Instant, zone: string): number {
  let known = offsets.get(zone);
  if (!known || known.size > 50_000) offsets.set(zone, (known = new Map()));
  const quarter = Math.floor(at / QUARTER);
  let offset = known.get(quarter);
  if (offset === undefined) {
    offset = Temporal.Instant.fromEpochMilliseconds(quarter * QUARTER).toZonedDateTimeISO(zone).offsetNanoseconds / 1e6;
    known.set(quarter, offset);
  }
  return offset;
}

/** The length in milliseconds with a day of 24 hours, a month of 30 days and a year of 365: for drawing and limits. */
export function approximateMs(duration: string): number {
  const { duration: d, exactMs } = parse(duration);
  return d.years * 365 * DAY + d.months * 30 * DAY + d.weeks * WEEK + d.days * DAY + exactMs;
}

const PARTS = [
  ['years', 'year'],
  ['months', 'month'],
  ['weeks', 'week'],
  ['days', 'day'],
  ['hours', 'hour'],
  ['minutes', 'minute'],
  ['seconds', 'second'],
] as const;

/** Says a duration in words: `PT90M` is "90 minutes", `P1DT2H` is "1 day 2 hours". */
export function sayDuration(text: string): string {
  const { duration } = parse(text);
  const said = PARTS.filter(([part]) => duration[part] !== 0).map(
    ([part, word]) => `${duration[part]} ${word}${duration[part] === 1 ? '' : 's'}`,
  );
  return said.length ? said.join(' ') : 'no time';
}

/** Says an exact length in milliseconds shortly, for axis labels: "30 min", "1 h", "2 d 3 h". */
export function sayElapsed(ms: number): string {
  const sign = ms < 0 ? '−' : '';
  const rest = Math.abs(ms);
  const units: [number, string][] = [
    [DAY, 'd'],
    [HOUR, 'h'],
    [MINUTE, 'min'],
    [SECOND, 's'],
  ];
  const said: string[] = [];
  let left = rest;
  for (const [size, unit] of units) {
    const count = Math.floor(left / size);
    if (count > 0) {
      said.push(`${count} ${unit}`);
      left -= count * size;
    }
    if (said.length === 2) break;
  }
  return said.length ? sign + said.join(' ') : '0';
}

/** A wait as an amount and one unit, the way the editor shows it; null when it needs more than one unit. */
export function splitDuration(text: string): { amount: number; unit: DurationUnit } | null {
  const { duration } = parse(text);
  const set = PARTS.filter(([part]) => duration[part] !== 0);
  if (set.length !== 1) return null;
  const [part] = set[0]!;
  const unit = part as DurationUnit;
  return (DURATION_UNITS as readonly string[]).includes(unit) ? { amount: duration[part], unit } : null;
}

export const DURATION_UNITS = ['minutes', 'hours', 'days', 'weeks'] as const;
export type DurationUnit = (typeof DURATION_UNITS)[number];

/** Writes an amount and unit as an ISO 8601 duration: (23, 'hours') is `PT23H`. */
export function joinDuration(amount: number, unit: DurationUnit): string {
  switch (unit) {
    case 'minutes':
      return `PT${amount}M`;
    case 'hours':
      return `PT${amount}H`;
    case 'days':
      return `P${amount}D`;
    case 'weeks':
      return `P${amount}W`;
  }
}

/** The whole second in which a moment lies. */
export const secondOf = (at: Instant): Instant => Math.floor(at / 1000) * 1000;
