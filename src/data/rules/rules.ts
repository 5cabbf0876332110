import { localDate, type Instant } from '@/core/time';
import { MOST_ADDED, partsOf, rangeOf, spanOf, type Hours, type PropertyTest, type Rule, type Test, type WhereTest } from '@/core/rules';
import { ADDRESS_SQL } from './addresses';

/** A rule as a SQL condition over `people p`, with its named bindings. */
export interface Compiled {
  readonly condition: string;
  readonly bindings: Record<string, unknown>;
}

/** A rule that has no meaning for a list of people, such as one that looks at the event which started a run. */
export class NotForLists extends Error {}

/** Gathers the bindings of a condition, and gives each its place in it. */
function binder(prefix: string) {
  const bindings: Record<string, unknown> = {};
  let count = 0;
  const bind = (value: unknown, cast = ''): string => {
    const name = `${prefix}${count++}`;
    bindings[name] = value;
    // not `:name::type`: the query builder reads `:name:` as an identifier
    return cast ? `cast(:${name} as ${cast})` : `:${name}`;
  };
  return { bind, bindings };
}
type Bind = ReturnType<typeof binder>['bind'];

/** The jsonb value at a path that may be one name with dots in it or a path of names. */
const at = (bind: Bind, object: string, path: string): string =>
  path.includes('.')
    ? `(case when jsonb_exists(${object}, ${bind(path, 'text')}) then ${object} -> ${bind(path, 'text')}
        else ${object} #> ${bind(path.split('.'), 'text[]')} end)`
    : `(${object} -> ${bind(path, 'text')})`;

function compareSql(bind: Bind, value: string, test: Pick<PropertyTest, 'op' | 'value'>): string {
  const known = `(${value} is not null and jsonb_typeof(${value}) <> 'null')`;
  const literal = (one: unknown) => bind(JSON.stringify(one), 'jsonb');
  const number = (operator: string) =>
    `(case when jsonb_typeof(${value}) = 'number' then (${value})::text::numeric ${operator} ${bind(String(test.value), 'numeric')} else false end)`;
  switch (test.op) {
    case 'known':
      return known;
    case 'unknown':
      return `(not ${known})`;
    case 'is':
      return `coalesce(${value} = ${literal(test.value)}, false)`;
    case 'isNot':
      return `coalesce(${value} <> ${literal(test.value)}, true)`;
    case 'oneOf': {
      const list = test.value as unknown[];
      return list.length ? `coalesce(${value} in (${list.map(literal).join(', ')}), false)` : 'false';
    }
    case 'noneOf': {
      const list = test.value as unknown[];
      return list.length ? `coalesce(${value} not in (${list.map(literal).join(', ')}), true)` : 'true';
    }
    case 'startsWith':
      return `(case when jsonb_typeof(${value}) = 'string' then starts_with(${value} #>> '{}', ${bind(test.value, 'text')}) else false end)`;
    case 'between': {
      const [least, most] = test.value as [number, number];
      const bounds = `${bind(String(least), 'numeric')} and ${bind(String(most), 'numeric')}`;
      return `(case when jsonb_typeof(${value}) = 'number' then (${value})::text::numeric between ${bounds} else false end)`;
    }
    case 'contains':
      return `(case jsonb_typeof(${value}) when 'string' then position(${bind(test.value, 'text')} in (${value} #>> '{}')) > 0
        when 'array' then ${value} @> ${literal(test.value)} else false end)`;
    case 'atLeast':
      return number('>=');
    case 'above':
      return number('>');
    case 'atMost':
      return number('<=');
    case 'below':
      return number('<');
  }
}

function whereTestSql(bind: Bind, object: string, test: WhereTest): string {
  const value = at(bind, object, test.property);
  if (!('any' in test)) return compareSql(bind, value, test);
  const item = test.any.map((one) => compareSql(bind, at(bind, 'item.value', one.property), one));
  return `exists (select 1 from jsonb_array_elements(case when jsonb_typeof(${value}) = 'array' then ${value} else cast('[]' as jsonb) end) as item(value)
    where jsonb_typeof(item.value) = 'object' and ${item.join(' and ')})`;
}

/** Tests of an event (an alias of `events`) as a SQL condition: `true` without any. */
export function whereSql(event: string, where: readonly WhereTest[], within: (Hours & { readonly zone: string }) | null = null): Compiled {
  const { bind, bindings } = binder('w');
  const parts = where.map((test) => whereTestSql(bind, `${event}.properties`, test));
  if (within) parts.push(hoursSql(bind, `${event}.time`, within, within.zone));
  return { condition: parts.join(' and ') || 'true', bindings };
}

/** Whether a moment is at some times of the week, by the clocks of a zone. */
function hoursSql(bind: Bind, moment: string, { weekdays, from, to }: Hours, zone: string): string {
  const local = `(${moment} at time zone ${bind(zone, 'text')})`;
  const parts = weekdays ? [`extract(isodow from ${local}) = any(${bind(weekdays, 'int[]')})`] : [];
  if (from !== undefined && to !== undefined) {
    const [clock, first, last] = [`cast(${local} as time)`, bind(from, 'time'), bind(to, 'time')];
    parts.push(`(${clock} >= ${first} ${from < to ? 'and' : 'or'} ${clock} < ${last})`);
  }
  return `(${parts.join(' and ')})`;
}

/** What a test compiles with: the place of a value, and the moment and zone from which it is looked at. */
interface Looking {
  readonly bind: Bind;
  readonly now: Instant;
  readonly nowSql: string;
  readonly zone: string;
  /** everybody is looked at: what happened is gathered once for all, instead of looked up for each */
  readonly isWhole: boolean;
}
type OfKind<K extends Test['test']> = Extract<Test, { test: K }>;

const not = (isIt: boolean, condition: string) => (isIt ? condition : `(not ${condition})`);

/** The events that a test counts, as conditions on `e`, whoever’s they are. */
function countedSql(test: OfKind<'did' | 'didNot' | 'total'>, { bind, now, nowSql, zone }: Looking): string {
  if (test.since === 'entry') throw new NotForLists('the moment of entry is only known inside a flow');
  const { after, isFrom, to } = spanOf(test.since, { now, zone });
  const moment = (at: Instant) => bind(new Date(at), 'timestamptz');
  const conditions = [`e.type = ${bind(test.event)}`, `e.time <= ${to === now ? nowSql : moment(to)}`];
  if (after !== -Infinity) conditions.push(`e.time ${isFrom ? '>=' : '>'} ${moment(after)}`);
  if (test.hours) conditions.push(hoursSql(bind, 'e.time', test.hours, zone));
  for (const where of test.where ?? []) conditions.push(whereTestSql(bind, 'e.properties', where));
  return conditions.join(' and ');
}

function eventSql(test: OfKind<'did' | 'didNot'>, looking: Looking): string {
  const { bind, isWhole } = looking;
  const { least, most, enough } = rangeOf(test.times);
  const counted = countedSql(test, looking);
  const often = (n: number) => bind(n, 'int');
  let did: string;
  if (isWhole) {
    // those who did it often enough, or, where nobody has to have done it at all, all but those who did it too often
    const who = (having: string) =>
      `p.id in (select e.person_id from events e where ${counted}${having && ` group by 1 having ${having}`})`;
    if (least === 0) did = `(not ${who(most === 0 ? '' : `count(*) > ${often(most)}`)})`;
    else if (most === Infinity) did = who(least === 1 ? '' : `count(*) >= ${often(least)}`);
    else did = who(`count(*) between ${often(least)} and ${often(most)}`);
  } else {
    const found = `from events e where e.person_id = p.id and ${counted}`;
    // no further than is asked for is counted
    const count = `(select count(*) from (select 1 ${found} limit ${often(enough)}) counted)`;
    if (most === Infinity) did = least === 1 ? `exists (select 1 ${found})` : `(${count} >= ${often(least)})`;
    else did = most === 0 ? `(not exists (select 1 ${found}))` : `(${count} between ${often(least)} and ${often(most)})`;
  }
  return not(test.test === 'did', did);
}

/** What is made of the values `v` of a property: a number, or null where there is nothing to take it of. */
const TAKES: { readonly [K in OfKind<'total'>['take']]: string } = {
  sum: 'round(coalesce(sum(n), 0), 6)',
  average: 'round(avg(n), 6)',
  largest: 'max(n)',
  smallest: 'min(n)',
  different: `count(distinct v) filter (where jsonb_typeof(v) in ('string', 'number', 'boolean'))`,
};

function totalSql(test: OfKind<'total'>, looking: Looking): string {
  const { bind } = looking;
  const isAgo = typeof test.since === 'object' && 'ago' in test.since;
  const way = isAgo ? 'asc' : 'desc';
  const value = at(bind, 'e.properties', test.of);
  const taken = `(select ${TAKES[test.take]} from (
    select v, case when jsonb_typeof(v) = 'number' then cast(cast(v as text) as numeric) end as n from (
      select ${value} as v from events e where e.person_id = p.id and ${countedSql(test, looking)}
      order by e.time ${way}, e.id ${way} limit ${bind(MOST_ADDED, 'int')}
    ) found) numbers)`;
  const bound = (n: number) => bind(String(n), 'numeric');
  const [least, most] = Array.isArray(test.value) ? test.value : [test.value, test.value];
  const operator = { is: '=', atLeast: '>=', above: '>', atMost: '<=', below: '<', between: '' }[test.op];
  const holds = test.op === 'between' ? `${taken} between ${bound(least)} and ${bound(most)}` : `${taken} ${operator} ${bound(least)}`;
  return `coalesce(${holds}, false)`;
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
  list: (test, { bind }) =>
    not(
      test.member,
      `exists (select 1 from list_members m join lists l on l.id = m.list_id where m.person_id = p.id and l.key = ${bind(test.list)})`,
    ),
  segment: (test, { bind, isWhole }) => {
    const key = bind(test.segment);
    return not(
      test.member,
      isWhole
        ? `p.id in (select m.person_id from segment_members m join segments s on s.id = m.segment_id where s.key = ${key})`
        : `exists (select 1 from segment_members m join segments s on s.id = m.segment_id where m.person_id = p.id and s.key = ${key})`,
    );
  },
  tag: (test, { bind }) => not(test.has, `exists (select 1 from person_tags t where t.person_id = p.id and t.tag = ${bind(test.tag)})`),
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
  { prefix = 'r', isWhole = false }: { prefix?: string; isWhole?: boolean } = {},
): Compiled {
  const { bind, bindings } = binder(prefix);
  const looking: Looking = { bind, now, nowSql: bind(new Date(now), 'timestamptz'), zone, isWhole };
  const compile = (one: Rule): string => {
    const parts = partsOf(one);
    if (!parts) return (TESTS[(one as Test).test] as (test: Test, looking: Looking) => string)(one as Test, looking);
    if ('all' in one) return parts.length ? `(${parts.map(compile).join(' and ')})` : 'true';
    if ('any' in one) return parts.length ? `(${parts.map(compile).join(' or ')})` : 'false';
    return parts.length ? `(not (${parts.map(compile).join(' or ')}))` : 'true';
  };
  return { condition: compile(rule), bindings };
}
