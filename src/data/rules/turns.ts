import { DAY, HOUR, approximateMs, localDate, type Instant } from '@/core/time';
import { testsOf, type Rule } from '@/core/rules';
import type { Compiled } from './rules';

/**
 * How long something is in a window of a duration, at least and at most, in milliseconds: months and years are of unlike
 * length, and a day is an hour shorter or longer where the clocks change.
 */
function boundsOf(duration: string): { shortest: number; longest: number } {
  const about = approximateMs(duration);
  const [date] = duration.split('T');
  if (date === 'P') return { shortest: about, longest: about };
  const slack = /[YM]/.test(date!) ? about * 0.1 + 3 * DAY : 3 * HOUR;
  return { shortest: Math.max(0, about - slack), longest: about + slack };
}

/**
 * For whom time alone can change the answer to a rule, and from when on at the earliest, as a statement that selects
 * `person_id` and `at`; null where it cannot. Never later than the moment at which the answer changes, and commonly
 * earlier: who is looked at then is given the very moment.
 */
export function turnsToSql(rule: Rule, now: Instant, zone: string): Compiled | null {
  const bindings: Record<string, unknown> = {};
  let count = 0;
  const bind = (value: unknown, cast: string): string => {
    const name = `t${count++}`;
    bindings[name] = value;
    return `cast(:${name} as ${cast})`;
  };
  const nowSql = bind(new Date(now), 'timestamptz');
  const parts = new Set<string>();
  const windows = new Map<string, Set<string>>();
  for (const test of testsOf(rule)) {
    if (test.test === 'consent') parts.add(`select p.id as person_id, p.paused_until as at from people p where p.paused_until > ${nowSql}`);
    if (test.test === 'date') {
      const day = `day_of(case when jsonb_exists(p.attributes, ${bind(test.name, 'text')}) then p.attributes -> ${bind(test.name, 'text')}
        else p.attributes #> ${bind(test.name.split('.'), 'text[]')} end)`;
      const today = bind(localDate(now, zone), 'date');
      const days = test.yearly
        ? `generate_series(extract(year from ${today})::int - 1, extract(year from ${today})::int + 2) as year cross join lateral (select anniversary(d.day, year)) a(day)`
        : `lateral (select d.day) a(day)`;
      const turning = [
        test.to === undefined ? '' : `(a.day - ${bind(test.to, 'int')})`,
        test.from === undefined ? '' : `(a.day - ${bind(test.from, 'int')} + 1)`,
      ];
      parts.add(`select p.id as person_id, cast(min(t.day) as timestamp) at time zone ${bind(zone, 'text')} - interval '3 hours' as at
        from people p cross join lateral (select ${day} as day) d cross join ${days} cross join lateral (values ${turning
          .filter(Boolean)
          .map((one) => `(${one})`)
          .join(', ')}) t(day)
        where d.day is not null and t.day > ${today} group by p.id`);
    }
    if (test.test !== 'did' && test.test !== 'didNot' && test.test !== 'total') continue;
    const of = windows.get(test.event) ?? new Set();
    windows.set(test.event, of);
    if (typeof test.since === 'object' && 'last' in test.since) of.add(test.since.last);
    else if (typeof test.since === 'object' && 'ago' in test.since) of.add(test.since.ago);
  }
  const interval = (ms: number) => `${bind(ms, 'double precision')} * interval '1 millisecond'`;
  for (const [type, durations] of windows) {
    const event = bind(type, 'text');
    // what is stamped ahead of our clock counts when its moment has come
    parts.add(`select e.person_id, min(e.time) as at from events e where e.type = ${event} and e.time > ${nowSql} group by 1`);
    for (const duration of durations) {
      const { shortest, longest } = boundsOf(duration);
      parts.add(`select e.person_id, greatest(min(e.time) + ${interval(shortest)}, ${nowSql}) as at from events e
        where e.type = ${event} and e.time > ${nowSql} - ${interval(longest)} group by 1`);
    }
  }
  return parts.size ? { condition: [...parts].join(' union all '), bindings } : null;
}
