import { EARTH_KM, MILE_KM } from '@/core/places';
import {
  asEvents,
  codesOf,
  namesOfCountries,
  NO_WORLD,
  outermost,
  partsOf,
  PREDICTED,
  type Rule,
  type Since,
  type Test,
  type World,
  NO_WORDS,
  TRACKING,
  YES_WORDS,
} from '@/core/rules';
import { localDate, type Instant } from '@/core/time';
import { ADDRESS_SQL } from './addresses';
import { eventSql, totalSql } from './happened';
import { at, binder, compareSql, not, NotForLists, numberSql, sinceSql, type Compiled, type Looking, type OfKind } from './looking';
import { ordersSql } from './orders';

/** Whether somebody belongs to something, and has for as long as is asked for. */
function memberSql(isIn: boolean, since: Since | undefined, moment: string, from: string, which: string, looking: Looking): string {
  const conditions = [which, ...(since === undefined ? [] : sinceSql(since, moment, looking))].join(' and ');
  return not(
    isIn,
    looking.isWhole
      ? `p.id in (select m.person_id from ${from} where ${conditions})`
      : `exists (select 1 from ${from} where m.person_id = p.id and ${conditions})`,
  );
}

function reachSql({ channel, state }: OfKind<'reach'>, { bind, nowSql }: Looking): string {
  const address = ADDRESS_SQL[channel];
  const consent = (one: string) => `exists (select 1 from consents c where c.person_id = p.id and c.channel = ${bind(channel)}${one})`;
  const suppressed = (why: string) =>
    `exists (select 1 from suppressions s where s.channel = ${bind(channel)} and s.address = ${address}${why})`;
  switch (state) {
    case 'address':
      return `(${address} is not null)`;
    case 'given':
    case 'withdrawn':
      return consent(` and c.state = ${bind(state)}`);
    case 'notAsked':
      return `(not ${consent('')})`;
    case 'paused':
      return `coalesce(p.paused_until > ${nowSql}, false)`;
    case 'suppressed':
      return suppressed('');
    case 'bounced':
    case 'complained':
      return suppressed(` and s.reason = ${bind(state)}`);
  }
}

/** Each kind of test as a condition on `people p`; the same as its `look` in core. */
const TESTS: { readonly [K in Test['test']]: (test: OfKind<K>, looking: Looking) => string } = {
  attribute: (test, { bind }) => compareSql(bind, at(bind, 'p.attributes', test.name), test),
  trigger: () => {
    throw new NotForLists('the event that started a run is only known inside a flow');
  },
  date: (test, { bind, now, zone }) => {
    const day = `day_of(${at(bind, 'p.attributes', test.name)})`;
    const today = bind(localDate(now, zone), 'date');
    const bounds = (one: string) =>
      [
        test.from === undefined ? '' : `${one} >= ${bind(test.from, 'int')}`,
        test.to === undefined ? '' : `${one} <= ${bind(test.to, 'int')}`,
      ]
        .filter(Boolean)
        .join(' and ');
    if (!test.yearly) return `coalesce(${bounds(`(${day} - ${today})`)}, false)`;
    const years = `generate_series(extract(year from ${today})::int - 1, extract(year from ${today})::int + 1)`;
    return `(${day} is not null and exists (select 1 from ${years} as year where ${bounds(`(anniversary(${day}, year) - ${today})`)}))`;
  },
  answer: () => {
    throw new NotForLists('what came in answer to a step is only known inside a flow');
  },
  consent: (test, { bind, nowSql }) => {
    const address = ADDRESS_SQL[test.channel];
    const channel = bind(test.channel);
    const reachable = `(${address} is not null and (p.paused_until is null or p.paused_until <= ${nowSql})
      and not exists (select 1 from suppressions s where s.channel = ${channel} and s.address = ${address})
      and exists (select 1 from consents c where c.person_id = p.id and c.channel = ${channel} and c.state = 'given'))`;
    return not(test.reachable, reachable);
  },
  list: (test, looking) =>
    memberSql(
      test.member,
      test.since,
      'm.at',
      `list_members m join lists l on l.id = m.list_id`,
      `l.key = ${looking.bind(test.list)}`,
      looking,
    ),
  segment: (test, looking) =>
    memberSql(
      test.member,
      test.since,
      'm.since',
      `segment_members m join segments s on s.id = m.segment_id`,
      `s.key = ${looking.bind(test.segment)}`,
      looking,
    ),
  tag: (test, looking) => memberSql(test.has, test.since, 'm.at', `person_tags m`, `m.tag = ${looking.bind(test.tag)}`, looking),
  topic: (test, { bind }) =>
    not(!test.wants, `exists (select 1 from declined_topics d where d.person_id = p.id and d.topic = ${bind(test.topic)})`),
  reach: (test, looking) => not(test.is, reachSql(test, looking)),
  said: (test, looking) => {
    const { bind } = looking;
    const told = (name: string) => `to_jsonb(nullif(c.${name}, ''))`;
    const conditions = [
      `c.person_id = p.id and c.channel = ${bind(test.channel)} and c.state = ${bind(test.state)}`,
      ...(test.how ? [compareSql(bind, told('how'), test.how)] : []),
      ...(test.place ? [compareSql(bind, told('place'), test.place)] : []),
      ...(test.since ? sinceSql(test.since, 'c.at', looking) : []),
    ];
    return not(test.is, `exists (select 1 from consents c where ${conditions.join(' and ')})`);
  },
  changed: (test, looking) => {
    const { bind } = looking;
    const name = outermost(test.name);
    const value = (side: string) => at(bind, `jsonb_build_object(${bind(name, 'text')}, ${side})`, test.name);
    const [was, is] = [value('c.was'), value('c."is"')];
    const number = (one: string) => `cast(cast(${one} as text) as numeric)`;
    const by = test.way === 'rose' ? `${number(is)} - ${number(was)}` : `${number(was)} - ${number(is)}`;
    const least = test.by === undefined ? '> 0' : `>= ${bind(String(test.by), 'numeric')}`;
    const conditions = [
      `c.person_id = p.id and c.kind = 'attribute' and c.name = ${bind(name)}`,
      ...sinceSql(test.since, 'c.at', looking),
      test.way === 'any'
        ? `nullif(${was}, 'null') is distinct from nullif(${is}, 'null')`
        : `(case when jsonb_typeof(${was}) = 'number' and jsonb_typeof(${is}) = 'number' then ${by} ${least} else false end)`,
      ...(test.from === undefined ? [] : [compareSql(bind, was, { op: 'is', value: test.from })]),
      ...(test.to === undefined ? [] : [compareSql(bind, is, { op: 'is', value: test.to })]),
    ];
    return `exists (select 1 from fact_changes c where ${conditions.join(' and ')})`;
  },
  age: (test, { bind, now, zone }) => {
    const day = `day_of(${at(bind, 'p.attributes', test.name)})`;
    const today = bind(localDate(now, zone), 'date');
    const year = `extract(year from ${today})::int`;
    const age = `(${year} - extract(year from ${day})::int - case when anniversary(${day}, ${year}) > ${today} then 1 else 0 end)`;
    const holds = numberSql(age, test, (n) => bind(n, 'int'));
    return `coalesce(${day} <= ${today} and ${holds}, false)`;
  },
  clock: () => {
    throw new NotForLists('the time of the week at which it is looked at is only asked inside a flow');
  },
  country: (test, { bind, world }) => {
    const value = at(bind, 'p.attributes', test.name);
    const codes = codesOf(test.group, world);
    const isIn = codes
      ? `coalesce(jsonb_typeof(${value}) = 'string' and (${value} #>> '{}') = any(${bind([...namesOfCountries(codes)], 'text[]')}), false)`
      : 'false';
    return not(test.member, isIn);
  },
  tracking: (test, { bind, world }) => {
    const said = `lower(btrim(${at(bind, 'p.attributes', TRACKING)} #>> '{}'))`;
    const words = (list: readonly string[]) => bind([...list], 'text[]');
    const isNo = `coalesce(${said} = any(${words(NO_WORDS)}), false)`;
    const isYes = `coalesce(${said} = any(${words(YES_WORDS)}), false)`;
    return not(test.allowed, world.tracksUnasked === false ? isYes : `not ${isNo}`);
  },
  near: (test, { bind }) => {
    const value = at(bind, 'p.attributes', test.name);
    const degrees = (name: string) =>
      `(case when jsonb_typeof(${value} -> '${name}') = 'number' then cast(${value} ->> '${name}' as double precision) end)`;
    const looked = (name: string) => `(select l.${name} from places l where l.country = p.attributes ->> 'country'
      and l.postcode = upper(regexp_replace(p.attributes ->> 'postcode', '\\s+', '', 'g'))
      and jsonb_typeof(p.attributes -> 'country') = 'string' and jsonb_typeof(p.attributes -> 'postcode') = 'string')`;
    const isPoint = `jsonb_typeof(${value} -> 'latitude') = 'number' and jsonb_typeof(${value} -> 'longitude') = 'number'`;
    const of = (name: string) => `(case when ${isPoint} then ${degrees(name)} else ${looked(name)} end)`;
    const here = (one: number) => bind(one, 'double precision');
    const far = `distance_km(${of('latitude')}, ${of('longitude')}, ${here(test.place.latitude)}, ${here(test.place.longitude)}, ${here(EARTH_KM)})`;
    return `coalesce(${far} ${test.is ? '<=' : '>'} ${here(test.within * (test.unit === 'km' ? 1 : MILE_KM))}, false)`;
  },
  predicted: (test, { bind }) => compareSql(bind, at(bind, 'p.attributes', `${PREDICTED}.${test.of}`), test),
  orders: (test, looking) => ordersSql(test, looking),
  flow: (test, looking) => eventSql(asEvents(test), looking),
  did: eventSql,
  didNot: eventSql,
  total: totalSql,
};

/**
 * Turns a rule into SQL that picks, of a million people, those for whom `evaluate` holds at `now`. Both give the
 * same answer for the same facts; a property test holds them together. `prefix` keeps the bindings of
 * several apart; `isWhole` is for counting everybody, where a page of people is better looked up one by one.
 */
export function ruleToSql(
  rule: Rule,
  now: Instant,
  zone: string,
  { prefix = 'r', isWhole = false, world = NO_WORLD }: { prefix?: string; isWhole?: boolean; world?: World } = {},
): Compiled {
  const { bind, bindings } = binder(prefix);
  const looking: Looking = { bind, now, nowSql: bind(new Date(now), 'timestamptz'), zone, isWhole, world };
  const compile = (one: Rule): string => {
    const parts = partsOf(one);
    if (!parts) return (TESTS[(one as Test).test] as (test: Test, looking: Looking) => string)(one as Test, looking);
    if ('all' in one) return parts.length ? `(${parts.map(compile).join(' and ')})` : 'true';
    if ('any' in one) return parts.length ? `(${parts.map(compile).join(' or ')})` : 'false';
    return parts.length ? `(not (${parts.map(compile).join(' or ')}))` : 'true';
  };
  return { condition: compile(rule), bindings };
}
