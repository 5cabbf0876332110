import { RRuleTemporal } from 'rrule-temporal';
import { Temporal } from 'temporal-polyfill';
import { DAY, type Instant } from './duration';

/** How far a recurrence is followed to find its next moment: half a century of days. */
const FURTHEST = 20_000;
/** And when it is only asked whether it comes round at all. */
const FURTHEST_TRIED = 1_500;

const known = new Map<string, RRuleTemporal>();

function recurrenceOf(rule: string, starts: string, zone: string, maxIterations = FURTHEST): RRuleTemporal {
  const id = `${zone} ${starts} ${rule} ${maxIterations}`;
  let recurrence = known.get(id);
  if (!recurrence) {
    if (known.size > 500) known.clear();
    const dtstart = Temporal.PlainDateTime.from(starts).toZonedDateTime(zone);
    known.set(id, (recurrence = new RRuleTemporal({ rruleString: rule, dtstart, maxIterations })));
  }
  return recurrence;
}

/** The moment of a recurrence after another; null where none is found as far as it is followed. */
function momentAfter(recurrence: RRuleTemporal, after: Instant, zone: string): Instant | null {
  try {
    return recurrence.next(Temporal.Instant.fromEpochMilliseconds(after).toZonedDateTimeISO(zone) as never)?.epochMilliseconds ?? null;
  } catch (error) {
    if (/iterations/.test((error as Error).message)) return null;
    throw error;
  }
}

const upTo = (most: string) => String.raw`[+-]?(${most})(,[+-]?(${most}))*`;
const ORDINALS = '[1-9]|[1-4][0-9]|5[0-3]';
const PARTS = [
  /^(INTERVAL|COUNT)=[1-9]\d{0,3}$/,
  /^UNTIL=\d{8}(T\d{6}Z)?$/,
  /^WKST=(MO|TU|WE|TH|FR|SA|SU)$/,
  new RegExp(`^BYDAY=([+-]?(${ORDINALS}))?(MO|TU|WE|TH|FR|SA|SU)(,([+-]?(${ORDINALS}))?(MO|TU|WE|TH|FR|SA|SU))*$`),
  /^BYMONTH=([1-9]|1[0-2])(,([1-9]|1[0-2]))*$/,
  new RegExp(`^BYMONTHDAY=${upTo('[1-9]|[12][0-9]|3[01]')}$`),
  new RegExp(`^BYWEEKNO=${upTo(ORDINALS)}$`),
  new RegExp(`^(BYYEARDAY|BYSETPOS)=${upTo('[1-9]|[1-9][0-9]|[12][0-9][0-9]|3[0-5][0-9]|36[0-6]')}$`),
];

/**
 * What is wrong with a recurrence (RFC 5545 §3.3.10, without its start, daily at the most) that starts by the clocks at a moment, in
 * words; null where nothing is. One that never comes round is none.
 */
export function recurrenceProblem(rule: string, starts: string): string | null {
  const [freq, ...parts] = rule.split(';');
  if (!/^FREQ=(DAILY|WEEKLY|MONTHLY|YEARLY)$/.test(freq!) || !parts.every((part) => PARTS.some((one) => one.test(part))))
    return 'is no recurrence; write it as RFC 5545 does, such as FREQ=WEEKLY;BYDAY=MO, daily at the most';
  try {
    const before = Date.parse(`${starts}Z`) - 2 * DAY;
    return momentAfter(recurrenceOf(rule, starts, 'UTC', FURTHEST_TRIED), before, 'UTC') === null
      ? 'is a recurrence that never comes round; take one of its conditions out'
      : null;
  } catch (error) {
    return `is no recurrence: ${(error as Error).message.split('\n')[0]!.slice(0, 120)}`;
  }
}

/**
 * The first moment after another at which a recurrence (RFC 5545 §3.3.10) comes round; without one the start alone. `starts` is by
 * the clocks of the zone: 2026-12-01T09:00. Null where there is none any more.
 */
export function nextRecurrence(rule: string | null, starts: string, after: Instant, zone: string): Instant | null {
  if (rule !== null) return momentAfter(recurrenceOf(rule, starts, zone), after, zone);
  const at = Temporal.PlainDateTime.from(starts).toZonedDateTime(zone).epochMilliseconds;
  return at > after ? at : null;
}

const DAYS: { readonly [day: string]: string } = {
  MO: 'Monday',
  TU: 'Tuesday',
  WE: 'Wednesday',
  TH: 'Thursday',
  FR: 'Friday',
  SA: 'Saturday',
  SU: 'Sunday',
};
const UNITS: { readonly [freq: string]: string } = { DAILY: 'day', WEEKLY: 'week', MONTHLY: 'month', YEARLY: 'year' };

/** Says a recurrence: "every 2 weeks on Monday, 10 times"; what is said by more than that is said as it is written. */
export function sayRecurrence(rule: string): string {
  const parts = new Map(rule.split(';').map((part) => part.split('=') as [string, string]));
  const unit = UNITS[parts.get('FREQ') ?? ''];
  const interval = Number(parts.get('INTERVAL') ?? 1);
  const days = parts.get('BYDAY')?.split(',');
  const others = [...parts.keys()].filter((name) => !['FREQ', 'INTERVAL', 'BYDAY', 'COUNT', 'BYMONTHDAY'].includes(name));
  if (!unit || others.length || days?.some((day) => !DAYS[day])) return `by ${rule}`;
  const on = days ? ` on ${days.map((day) => DAYS[day]).join(', ')}` : parts.has('BYMONTHDAY') ? ` on day ${parts.get('BYMONTHDAY')}` : '';
  const count = parts.get('COUNT');
  return `every ${interval === 1 ? unit : `${interval} ${unit}s`}${on}${count ? `, ${count} ${count === '1' ? 'time' : 'times'}` : ''}`;
}
