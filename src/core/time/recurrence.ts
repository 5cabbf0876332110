import { RRuleTemporal } from 'rrule-temporal';
import { Temporal } from 'temporal-polyfill';
import type { Instant } from './duration';

const known = new Map<string, RRuleTemporal>();

function recurrenceOf(rule: string, starts: string, zone: string): RRuleTemporal {
  const id = `${zone} ${starts} ${rule}`;
  let recurrence = known.get(id);
  if (!recurrence) {
    if (known.size > 500) known.clear();
    const dtstart = Temporal.PlainDateTime.from(starts).toZonedDateTime(zone);
    known.set(id, (recurrence = new RRuleTemporal({ rruleString: rule, dtstart, maxIterations: 20_000 })));
  }
  return recurrence;
}

const PARTS = [
  /^(INTERVAL|COUNT)=[1-9]\d{0,3}$/,
  /^UNTIL=\d{8}(T\d{6}Z)?$/,
  /^WKST=(MO|TU|WE|TH|FR|SA|SU)$/,
  /^BYDAY=([+-]?\d{0,2}(MO|TU|WE|TH|FR|SA|SU))(,[+-]?\d{0,2}(MO|TU|WE|TH|FR|SA|SU))*$/,
  /^(BYMONTHDAY|BYMONTH|BYYEARDAY|BYWEEKNO|BYSETPOS)=[+-]?\d{1,3}(,[+-]?\d{1,3})*$/,
];

/** What is wrong with a recurrence (RFC 5545, without its start), in words; null where nothing is. */
export function recurrenceProblem(rule: string): string | null {
  const [freq, ...parts] = rule.split(';');
  if (!/^FREQ=(DAILY|WEEKLY|MONTHLY|YEARLY)$/.test(freq!) || !parts.every((part) => PARTS.some((one) => one.test(part))))
    return 'is no recurrence; write it as RFC 5545 does, such as FREQ=WEEKLY;BYDAY=MO, daily at the most';
  try {
    recurrenceOf(rule, '2026-01-01T09:00', 'UTC').next(Temporal.ZonedDateTime.from('2026-01-01T09:00:00[UTC]'));
    return null;
  } catch (error) {
    return `is no recurrence: ${(error as Error).message.split('\n')[0]!.slice(0, 120)}`;
  }
}

/**
 * The first moment after another at which a recurrence (RFC 5545 §3.3.10) comes round; without one the start alone. `starts` is by
 * the clocks of the zone: 2026-12-01T09:00. Null where there is none any more.
 */
export function nextRecurrence(rule: string | null, starts: string, after: Instant, zone: string): Instant | null {
  if (rule === null) {
    const at = Temporal.PlainDateTime.from(starts).toZonedDateTime(zone).epochMilliseconds;
    return at > after ? at : null;
  }
  const next = recurrenceOf(rule, starts, zone).next(Temporal.Instant.fromEpochMilliseconds(after).toZonedDateTimeISO(zone) as never);
  return next ? next.epochMilliseconds : null;
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
