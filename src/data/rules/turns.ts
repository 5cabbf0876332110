import { DAY, HOUR, approximateMs, localDate, type Instant } from '@/core/time';
import {
  asEvents,
  isCloser,
  kindOfTest,
  NO_WORLD,
  outermost,
  testsOf,
  typesOf,
  type Closer,
  type Rule,
  type Since,
  type World,
} from '@/core/rules';
import { at, binder, type Compiled } from './looking';
import { ruleToSql } from './rules';

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
export function turnsToSql(rule: Rule, now: Instant, zone: string, world: World = NO_WORLD): Compiled | null {
  const { bind, bindings } = binder('t');
  const nowSql = bind(new Date(now), 'timestamptz');
  const parts = new Set<string>();
  const ahead = new Set<string>();
  const sources = new Map<string, { readonly source: Source; readonly durations: Set<string> }>();
  const slide = (source: Source, ...durations: (string | undefined)[]) => {
    const id = JSON.stringify(source);
    const known = sources.get(id) ?? { source, durations: new Set<string>() };
    sources.set(id, known);
    for (const one of durations) if (one !== undefined) known.durations.add(one);
  };
  const day = (name: string, years: string | null, turning: readonly string[]) => {
    const of = `day_of(${at(bind, 'p.attributes', name)})`;
    const today = bind(localDate(now, zone), 'date');
    const days = years
      ? `generate_series(extract(year from ${today})::int - 1, extract(year from ${today})::int + 2) as year cross join lateral (select ${years}) a(day)`
      : `lateral (select d.day) a(day)`;
    parts.add(`select p.id as person_id, cast(min(t.day) as timestamp) at time zone ${bind(zone, 'text')} - interval '3 hours' as at
      from people p cross join lateral (select ${of} as day) d cross join ${days} cross join lateral (values ${turning
        .map((one) => `(${one})`)
        .join(', ')}) t(day)
      where d.day is not null and t.day > ${today} group by p.id`);
  };
  const events = ({ event, since, then }: Closer) => {
    for (const type of typesOf({ event, since, then })) slide({ of: 'event', name: type });
    slide({ of: 'event', name: event }, durationOf(since));
    let before = event;
    for (let link = then; link; link = link.then) {
      // that it did not come within a time is known once that is over
      slide({ of: 'event', name: before }, link.did ? undefined : link.within);
      before = link.event;
    }
  };
  for (const test of testsOf(rule)) {
    switch (test.test) {
      case 'consent':
      case 'reach':
        parts.add(`select p.id as person_id, p.paused_until as at from people p where p.paused_until > ${nowSql}`);
        break;
      case 'said':
        if (test.since) slide({ of: 'consent', name: test.channel }, durationOf(test.since));
        break;
      case 'date':
        day(test.name, test.yearly ? 'anniversary(d.day, year)' : null, [
          ...(test.to === undefined ? [] : [`a.day - ${bind(test.to, 'int')}`]),
          ...(test.from === undefined ? [] : [`a.day - ${bind(test.from, 'int')} + 1`]),
        ]);
        break;
      case 'age':
        day(test.name, 'greatest(d.day, anniversary(d.day, year))', ['a.day']);
        break;
      case 'did':
      case 'didNot':
      case 'total':
        events(test);
        break;
      case 'flow':
        events(asEvents(test));
        break;
      case 'orders':
        slide({ of: 'order', name: '' }, durationOf(test.since));
        break;
      case 'changed':
        slide({ of: 'change', name: outermost(test.name) }, durationOf(test.since));
        break;
      case 'list':
      case 'tag':
        if (test.since) slide({ of: test.test, name: test.test === 'list' ? test.list : test.tag }, durationOf(test.since));
        break;
      case 'segment':
        if (test.since) slide({ of: 'segment', name: test.segment }, durationOf(test.since));
        break;
      default:
    }
  }
  const interval = (ms: number) => `${bind(ms, 'double precision')} * interval '1 millisecond'`;
  for (const { source, durations } of sources.values()) {
    const { moment, from, which } = SOURCES[source.of](bind(source.name, 'text'));
    // what is stamped ahead of our clock counts when its moment has come
    ahead.add(`select x.person_id, min(${moment}) as at from ${from} where ${which} and ${moment} > ${nowSql} group by 1`);
    const bounds = [...durations].map(boundsOf);
    if (!bounds.length) continue;
    // the earliest that is still to pass out of each window: those before it have. Read once for all of them
    const passes = bounds.map(
      ({ shortest, longest }) =>
        `case when max(${moment}) > ${nowSql} - ${interval(longest)} then greatest(min(${moment}) filter (where ${moment} > ${nowSql} - ${interval(longest)})
          + ${interval(shortest)}, ${nowSql}) end`,
    );
    const furthest = Math.max(...bounds.map(({ longest }) => longest));
    parts.add(`select x.person_id, least(${passes.join(', ')}) as at from ${from}
      where ${which} and ${moment} > ${nowSql} - ${interval(furthest)} group by 1`);
  }
  if (!parts.size && !ahead.size) return null;
  const steady = 'all' in rule ? rule.all.filter(onlyFalls) : [];
  const passed = [...parts].join(' union all ');
  if (!steady.length || !parts.size) return { condition: [passed, ...ahead].filter(Boolean).join(' union all '), bindings };
  // for whom a part fails that time alone can never make hold, time changes nothing
  const { condition, bindings: more } = ruleToSql({ all: steady }, now, zone, { prefix: 'u', isWhole: true, world });
  const among = `select t.person_id, t.at from (${passed}) t where t.person_id in (select p.id from people p where ${condition})`;
  return { condition: [among, ...ahead].join(' union all '), bindings: { ...bindings, ...more } };
}

/**
 * Whether time alone can only make a part cease to hold, but for what is stamped ahead of our clock: what does not turn at
 * all, and that something happened so often within a time that ends now.
 */
function onlyFalls(part: Rule): boolean {
  if (testsOf(part).every((test) => !kindOfTest(test).turns?.(test))) return true;
  if (!('test' in part) || part.test !== 'did' || isCloser(part)) return false;
  const { times = 1, since } = part;
  return typeof times === 'number' && (since === 'ever' || (typeof since === 'object' && 'last' in since));
}

/** Where moments stand at which something begins to be so long ago. */
interface Source {
  readonly of: 'event' | 'order' | 'change' | 'consent' | 'list' | 'tag' | 'segment';
  readonly name: string;
}
const SOURCES: { readonly [K in Source['of']]: (name: string) => { moment: string; from: string; which: string } } = {
  event: (name) => ({ moment: 'x.time', from: 'events x', which: `x.type = ${name}` }),
  order: () => ({ moment: 'x.placed_at', from: 'orders x', which: 'x.placed_at is not null' }),
  change: (name) => ({ moment: 'x.at', from: 'fact_changes x', which: `x.kind = 'attribute' and x.name = ${name}` }),
  consent: (name) => ({ moment: 'x.at', from: 'consents x', which: `x.channel = ${name}` }),
  list: (name) => ({ moment: 'x.at', from: 'list_members x join lists l on l.id = x.list_id', which: `l.key = ${name}` }),
  tag: (name) => ({ moment: 'x.at', from: 'person_tags x', which: `x.tag = ${name}` }),
  segment: (name) => ({ moment: 'x.since', from: 'segment_members x join segments s on s.id = x.segment_id', which: `s.key = ${name}` }),
};

/** How long a window is that slides, or how long ago something has to be. */
const durationOf = (since: Since): string | undefined =>
  typeof since !== 'object' ? undefined : 'last' in since ? since.last : 'ago' in since ? since.ago : undefined;
